"""Which way each region faces."""
