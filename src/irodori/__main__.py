"""`python -m irodori` is the command line."""

from irodori.cli.main import run

if __name__ == "__main__":
    run()
