"""What a picture shows at a glance: what a small network sees of it before anything is read."""
