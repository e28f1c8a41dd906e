"""How a command line is understood: one line on bad words, and the commands that exist."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass
from typing import NoReturn

from lean_trim import __version__

USAGE = """\
lean-trim                     open the application
       lean-trim --demo [CAR]        open it with a demo job: heron, plover after an injector change, or
                                     curlew with something wrong
       lean-trim JOBFILE             open it with a job file (.leantrim)
       lean-trim COMMAND …           work without a window"""
LOG_LEVELS = ("debug", "info", "warning", "error")
LEVEL_HELP = "how much is written to the diagnostic log (default info)"


class OneLineParser(argparse.ArgumentParser):
    """A parser that tells what is wrong in one line and ends with exit code 2."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong in one line, and end."""
        self.exit(2, f"{self.prog}: {message}\n")


@dataclass(frozen=True)
class Subcommand:
    """A command without a window.

    Attributes
    ----------
    name, help : as ``lean-trim --help`` shows them.
    add_arguments : declares its arguments.
    run : does the work; raises LeanTrimError or OSError.
    """

    name: str
    help: str
    add_arguments: Callable[[argparse.ArgumentParser], None]
    run: Callable[[argparse.Namespace], None]


def build_parser(commands: tuple[Subcommand, ...]) -> argparse.ArgumentParser:
    """The parser of all commands that need no window."""
    parser = OneLineParser(
        prog="lean-trim",
        usage=USAGE,
        description="Correct an engine's airflow table from drive logs.",
    )
    parser.add_argument("--version", action="version", version=f"lean-trim {__version__}")
    demo = "open the demo job of a simulated car: heron, plover, plover-bent or curlew"
    parser.add_argument("--demo", action="store_true", help=demo)
    parser.add_argument("--log-level", choices=LOG_LEVELS, default="info", help=LEVEL_HELP)
    parser.add_argument(
        "--quiet", action="store_true", help="no progress on the terminal, no warnings"
    )
    added = parser.add_subparsers(
        dest="command",
        required=True,
        parser_class=OneLineParser,
        prog="lean-trim",
        metavar="COMMAND",
        title="commands",
    )
    for command in commands:
        sub = added.add_parser(command.name, help=command.help, description=command.help)
        sub.add_argument(
            "--quiet", action="store_true", default=argparse.SUPPRESS, help="no warnings"
        )
        command.add_arguments(sub)
        sub.set_defaults(run=command.run)
    return parser
