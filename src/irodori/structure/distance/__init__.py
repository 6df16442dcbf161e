"""How far away each plane lies, and to what scale."""
