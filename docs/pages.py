"""Writes docs/steps.md from the catalogue, with the examples the tests run, and from the commands docs/commands.md and
what `dreck --help` prints."""

from pathlib import Path

import click

import dreck.cli
from dreck.cli import WIDTHS
from dreck.cli.group import cli
from dreck.report.words import WORDS
from dreck.steps import Step, all_steps

PAGE = Path(__file__).parent / "steps.md"
COMMANDS = Path(__file__).parent / "commands.md"
HELP = Path(dreck.cli.__file__).parent / "help.txt"


def page() -> str:
    """The whole page as Markdown."""
    head = "# The steps\n\nWritten from the catalogue by `python docs/pages.py`; `dreck steps NAME` shows the same.\n"
    return head + "".join(_section(step) for step in all_steps())


def _section(step: Step) -> str:
    typed = f"--step {step.name} {step.typed}".strip()
    asked = "" if step.by_default else f"\n\nTaken only when asked for: `{typed}`."
    traps = "\n".join(f"- {trap}" for trap in step.traps)
    return (
        f"\n## {step.name}\n\n{step.summary}{asked}\n\n**Why.** {step.why}\n\n**When not.** {step.when_not}\n\n"
        f"```python\n{step.before}```\n\nbecomes\n\n```python\n{step.after}```\n\nTraps:\n\n{traps}\n"
    )


_HEAD = """# The commands

Written from the commands themselves by `python docs/pages.py`; `dreck COMMAND --help` shows the same.

Exit codes: 0 done, or the same; 1 a difference, or a wanted step not taken; 2 wrong call or input (one line on
standard error); 130 interrupted. `NO_COLOR` takes the colours away, `COLUMNS` sets the width; results go to
standard output, progress to standard error.

## Completion in the shell

`eval "$(_DRECK_COMPLETE=bash_source dreck)"` in `~/.bashrc`, `eval "$(_DRECK_COMPLETE=zsh_source dreck)"` in
`~/.zshrc`, or `_DRECK_COMPLETE=fish_source dreck | source` in fish: TAB then offers commands, options, steps,
assumptions, and functions after `file.py::`.
"""


def commands_page() -> str:
    """Every command with its options, and the glossary, as Markdown."""
    parts = [_HEAD]
    group = click.Context(cli)
    for name in sorted(cli.list_commands(group)):
        command = cli.get_command(group, name)
        assert command is not None
        context = click.Context(command, info_name=f"dreck {name}", help_option_names=["-h", "--help"])
        usage = " ".join(command.collect_usage_pieces(context))
        told = " ".join((command.help or "").split())
        parts.append(f"\n## dreck {name}\n\n`dreck {name} {usage}`\n\n{told}\n")
        rows = [p.get_help_record(context) for p in command.get_params(context)]
        lines = [f"- `{record[0]}`: {record[1]}" for record in rows if record is not None and record[1]]
        parts.append("\n" + "\n".join(lines) + "\n")
    words = "\n".join(f"- **{word}**: {meaning}" for word, meaning in WORDS.items())
    return "".join(parts) + f"\n## Words\n\n{words}\n"


def help_page() -> str:
    """What `dreck --help` prints, for each width of a terminal for which it is written out."""
    told = []
    for columns in WIDTHS:
        context = click.Context(cli, info_name="dreck", terminal_width=columns - 2, **cli.context_settings)
        told.append(f"{cli.get_help(context)}\n")
    return "\f".join(told)


if __name__ == "__main__":
    HELP.write_text(help_page())
    PAGE.write_text(page())
    COMMANDS.write_text(commands_page())
