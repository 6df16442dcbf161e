"""Taking off a capture what is not the model."""
