"""What surfaces look like, and the tables that kernels read."""
