"""What is curved: balls, posts, drums, domes and vaults."""
