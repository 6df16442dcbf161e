"""How work runs: in tiles, with progress told, late, kept for the next time, and compiled on disk."""
