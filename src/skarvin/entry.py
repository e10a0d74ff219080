"""Where the program begins: with as little as possible, so that it can be stopped from its first moment on."""

import gc
import os
import sys


def main() -> None:  # pragma: no cover - it ends its process, so that only those that the tests start reach it
    """Run the command line; somebody who stops it while it is being loaded sees a sentence and no trace."""
    gc.disable()  # one short job: tidying up between its millions of texts would take longer than the job
    try:
        from skarvin.cli.main import main as run_command_line  # noqa: PLC0415 - loading it takes most of a start

        run_command_line()
    except KeyboardInterrupt:
        sys.stderr.write("Stopped; nothing was begun.\n")
        sys.stderr.flush()
        os._exit(4)
