"""From light at places to the layers of a picture."""
