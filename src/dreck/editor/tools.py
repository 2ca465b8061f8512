"""Dreck as tools of the Model Context Protocol, over standard input and output: a program asks, nothing is written."""

from collections.abc import Callable
from functools import wraps
from typing import Any, ParamSpec

from mcp.server.mcpserver import MCPServer
from mcp.server.mcpserver.exceptions import ToolError

import dreck
from dreck import __version__
from dreck.errors import DreckError

P = ParamSpec("P")

_TELLS = """\
Dreck straightens tangled conditional logic in Python and judges whether two versions of a function do the same:
`proved` (on every path), `tested` (on inputs searched for), `differs` (with the smallest input that shows it) or
`unsettled`. A target is a file, a folder, path.py::function or path.py::Class.method. No tool writes a file."""


def serve() -> None:
    """Serves until the client closes the pipe."""
    made().run("stdio")


def made() -> MCPServer:
    """The server with all its tools."""
    server = MCPServer("dreck", instructions=_TELLS, version=__version__)
    for tool in (survey, outline, offer, untangle, compare):
        server.tool()(_told(tool))
    return server


def _told(tool: Callable[P, dict[str, Any]]) -> Callable[P, dict[str, Any]]:
    """What cannot be done is answered in one line, as on the command line."""

    @wraps(tool)
    def asked(*args: P.args, **kwargs: P.kwargs) -> dict[str, Any]:
        try:
            return tool(*args, **kwargs)
        except DreckError as error:
            raise ToolError(str(error)) from None

    return asked


def survey(target: str, top: int = 20) -> dict[str, Any]:
    """Where decision logic is most tangled: the `top` functions of a file or folder, with the steps that apply.

    Runs none of the target's code.
    """
    return dreck.survey(target).as_json(top)


def outline(target: str) -> dict[str, Any]:
    """What a function decides: every way through it with what is asked, what happens and how it ends.

    Runs none of the target's code.
    """
    return dreck.outline(target).as_json()


def offer(target: str, top: int = 10) -> dict[str, Any]:
    """What could be done with a function, file or folder, what brings most first, each with the command to type.

    Runs none of the target's code.
    """
    found: dict[str, Any] = dreck.offer(target).as_json(top)
    return found


def untangle(target: str, steps: list[str] | None = None, verdict: str = "proved") -> dict[str, Any]:
    """What `untangle` would do: each step with its verdict, the diff and the new source. Nothing is written.

    `steps` names steps (default: those that flatten). With the verdict `tested` the target's code is run, in a cage,
    where a proof fails.
    """
    return dreck.untangle(target, steps=steps or (), verdict=verdict).as_json()


def compare(old: str, new: str, verdict: str = "tested") -> dict[str, Any]:
    """Whether two sources do the same, function by function; where they differ, an input that shows it.

    `old` and `new` are Python source texts or targets. With the verdict `proved` none of their code is run, else it
    is, in a cage, where a proof fails.
    """
    found: dict[str, Any] = dreck.compare(old, new, verdict=verdict).as_json()
    return found
