"""What grows: trees in the place of placeholders, leaves in masses, blades on lawns."""
