"""The camera and the directions of lines, from line segments."""
