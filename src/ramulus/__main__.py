"""The command: ``ramulus``, or ``python -m ramulus``. An interrupt is heard from the first import on."""

import sys


def run() -> None:
    """Run the command line, and end with its exit status."""
    try:
        from ramulus.cli import terminal
    except KeyboardInterrupt:
        sys.exit(130)
    try:
        terminal.prepare()
        from ramulus.cli.main import run as run_commands

        run_commands()
        terminal.finish()
    except BaseException as error:
        stopped = terminal.Heard.signal is not None or isinstance(error, KeyboardInterrupt)
        done = isinstance(error, SystemExit) and not error.code
        terminal.finish()
        if done or not stopped:
            raise
        if not isinstance(error, SystemExit):  # Else it has told what it had done until then.
            print("stopped", file=sys.stderr)
        terminal.end_stopped()


if __name__ == "__main__":
    run()
