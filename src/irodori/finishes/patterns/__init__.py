"""The patterns of finishes, one family a file; every file here registers its own (`irodori.finishes.registry`)."""
