"""The settings, a file for each subject; every file here registers its own."""
