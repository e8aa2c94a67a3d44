"""Lets ``python -m overhang`` do what ``overhang`` does."""

from overhang.cli.main import entry_point

if __name__ == "__main__":
    entry_point()
