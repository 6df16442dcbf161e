"""The command line: it reads arguments, calls the public API and says what came out."""
