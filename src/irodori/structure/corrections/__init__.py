"""What a user says was read wrongly."""
