"""``python -m ramulus``."""

from ramulus.cli.main import run

if __name__ == "__main__":
    run()
