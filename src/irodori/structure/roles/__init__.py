"""What each surface is."""
