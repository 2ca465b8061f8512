"""Commands for other programs: the schemas of what is printed, and the servers."""

import click

from dreck.cli.printing import print_json
from dreck.errors import DreckError


@click.command()
@click.argument("command", metavar="COMMAND")
def schema(command: str) -> int:
    """Print the JSON schema of what COMMAND prints with --json."""
    from dreck.report.schemas import SCHEMAS, schema_of

    if command not in SCHEMAS:
        raise DreckError(f"no schema for '{command}'; there is one for {', '.join(SCHEMAS)}")
    print_json(schema_of(command))
    return 0


@click.command()
@click.option("--tools", is_flag=True, help="Serve a program that asks: the Model Context Protocol.")
def serve(tools: bool) -> int:
    """Serve an editor: the Language Server Protocol over standard input and output.

    Needs the extra `editor`, with --tools the extra `tools`. Runs the target's code, in a cage, only where the
    client's settings say `trial`, or where a program asks for the verdict `tested`.
    """
    try:
        if tools:
            from dreck.editor.tools import serve as run
        else:
            from dreck.editor.server import serve as run
    except ImportError:
        needed = "mcp: install dreck[tools]" if tools else "pygls: install dreck[editor]"
        raise DreckError(f"dreck serve needs {needed}") from None
    run()
    return 0
