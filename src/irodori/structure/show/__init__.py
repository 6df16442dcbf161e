"""Pictures of a reading."""
