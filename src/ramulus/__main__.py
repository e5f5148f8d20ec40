"""The command: ``ramulus``, or ``python -m ramulus``. An interrupt is heard from the first import on."""

import sys


def run() -> None:
    """Run the command line."""
    try:
        from ramulus.cli.main import run as run_commands
    except KeyboardInterrupt:
        print("stopped", file=sys.stderr)
        sys.exit(130)
    run_commands()


if __name__ == "__main__":
    run()
