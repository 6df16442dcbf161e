"""The patterns of finishes, one family a file; each is compiled into `evaluate_finish`."""
