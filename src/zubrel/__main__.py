"""`python -m zubrel` is the same program as `zubrel`."""

from zubrel.entry import run

if __name__ == "__main__":
    run()
