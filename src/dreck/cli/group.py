"""`dreck`: the command and what all its parts share: one line for an error, exit code 2."""

import os
import sys
from importlib import import_module
from pathlib import Path
from typing import Any

import click

from dreck.errors import DreckError

_HOMES = {
    "demo": "commands",
    "survey": "looking",
    "outline": "looking",
    "census": "looking",
    "offer": "looking",
    "untangle": "commands",
    "compare": "commands",
    "pin": "commands",
    "report": "commands",
    "back": "commands",
    "steps": "commands",
    "words": "commands",
    "schema": "serving",
    "serve": "serving",
}
"""The module of each command, in the order of the help: only that of the one that is called is imported."""


class _Whole(click.Group):
    """A group that finds its commands when they are asked for; its help tells the summary of each whole."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_HOMES)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _HOMES:
            return None
        found = getattr(import_module(f"dreck.cli.{_HOMES[cmd_name]}"), cmd_name)
        assert isinstance(found, click.Command)
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        commands = [(name, self.get_command(ctx, name)) for name in self.list_commands(ctx)]
        rows = [(name, command.get_short_help_str(limit=400)) for name, command in commands if command is not None]
        with formatter.section("Commands"):
            formatter.write_dl(rows)


@click.group(cls=_Whole, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.option("--version", is_flag=True, is_eager=True, expose_value=False, callback=lambda c, o, v: _version(c, v),
              help="Show the version, and which walls hold the cage in which code is tried.")  # fmt: skip
@click.option("-v", "wordy", count=True, help="Log what is tried and why not on standard error; -vv more of it.")
def cli(wordy: int) -> None:
    """Straighten tangled conditional logic in small steps, and see for every step why nothing changed.

    \b
    A TARGET is a file, a folder, path.py::function or path.py::Class.method.
    Exit codes: 0 done, or the same; 1 a difference, or a wanted step not taken; 2 wrong call or input.
    """
    if not wordy:
        return

    import logging

    level = logging.INFO if wordy == 1 else logging.DEBUG
    logging.basicConfig(level=level, format="%(name)s: %(message)s", stream=sys.stderr)


def _version(context: click.Context, wanted: bool) -> None:
    if not wanted or context.resilient_parsing:
        return
    from dreck.cli.version import version

    click.echo(version())
    context.exit()


def main() -> None:
    """Runs the command; an error on the user's side is one line on standard error and exit code 2."""
    try:
        _settle_interrupted(sys.argv[1:])
        status = cli.main(prog_name="dreck", standalone_mode=False)
    except DreckError as error:
        _stop(str(error))
    except click.exceptions.NoArgsIsHelpError as error:
        click.echo(error.format_message())
        sys.exit(2)
    except click.ClickException as error:
        own = getattr(getattr(error, "ctx", None), "command_path", "dreck")
        _stop(f"{error.format_message()} (see: {own} --help)")
    except (click.Abort, KeyboardInterrupt):
        _stop("stopped; no file is half written", 130)
    except RecursionError:
        _stop("a function of the target is nested too deeply, or its tests are too long, for this view of it")
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(0)
    except Exception as error:
        if "DRECK_TRACEBACK" in os.environ:
            raise
        told = f"{type(error).__name__}: {error}"
        _stop(f"an error of Dreck's own, no file is half written: {told} (DRECK_TRACEBACK=1 tells where)")
    sys.exit(status if isinstance(status, int) else 0)


def _settle_interrupted(args: list[str]) -> None:
    """A step of a run that was killed is finished or undone, in every project that this run speaks of."""
    from dreck.workbench.store.place import interrupted_roots

    named = [Path(arg.partition("::")[0]) for arg in args if not arg.startswith("-")]
    for root in interrupted_roots([*named, Path.cwd() / "here"]):
        from dreck.workbench.store.journal import Journal

        for told in Journal(root).recover():
            click.echo(f"dreck: {told}", err=True)


def _stop(message: str, code: int = 2) -> Any:
    click.echo(f"dreck: {' '.join(message.split())}", err=True)
    sys.exit(code)
