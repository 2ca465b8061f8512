"""The tools for programs, asked by a real client over a real pipe."""

import asyncio
import json
import os
import sys

from mcp import ClientSession
from mcp.client.stdio import StdioServerParameters, stdio_client

GATE = """\
def admit(load, permit):
    if permit is not None:
        if load.kilos > 10:
            load.weigh()
            load.note()
        load.enter()
    else:
        raise ValueError(load)
"""


def asked(folder, *calls):
    """What the server answers to each call of a tool, in one session; and the names of its tools."""

    async def work():
        command = StdioServerParameters(
            command=sys.executable, args=["-m", "dreck", "serve", "--tools"], cwd=folder, env=dict(os.environ)
        )
        async with stdio_client(command) as pipes, ClientSession(*pipes) as session:
            await session.initialize()
            names = [tool.name for tool in (await session.list_tools()).tools]
            answers = [await session.call_tool(name, given) for name, given in calls]
            return names, answers

    return asyncio.run(asyncio.wait_for(work(), 120))


def told(answer):
    return json.loads(answer.content[0].text)


def test_a_program_asks_what_a_person_types(tmp_path):
    (tmp_path / "gate.py").write_text(GATE)
    names, answers = asked(
        tmp_path,
        ("survey", {"target": "."}),
        ("outline", {"target": "gate.py::admit"}),
        ("offer", {"target": "gate.py", "top": 2}),
        ("untangle", {"target": "gate.py::admit"}),
        ("compare", {"old": "def f(a):\n    return a\n", "new": "def f(a):\n    return -a\n"}),
        (
            "compare",
            {"old": "def f(a):\n    return not not a\n", "new": "def f(a):\n    return bool(a)\n", "verdict": "proved"},
        ),
    )
    assert names == ["survey", "outline", "offer", "untangle", "compare"]
    surveyed, outlined, offered, untangled, differs, same = map(told, answers)
    assert surveyed["functions"][0]["function"].endswith("gate.py::admit")
    assert outlined["function"].endswith("gate.py::admit")
    assert 1 <= len(offered["offers"]) <= 2
    assert "if permit is None:" in json.dumps(untangled)
    assert (differs["verdict"], same["verdict"]) == ("differs", "proved")
    assert differs["difference"]["input"]
    assert (tmp_path / "gate.py").read_text() == GATE, "nothing is written"


def test_what_cannot_be_is_said(tmp_path):
    _, answers = asked(
        tmp_path, ("survey", {"target": "nowhere.py"}), ("untangle", {"target": ".", "steps": ["nosuch"]})
    )
    assert all("nowhere" in a.content[0].text or "nosuch" in a.content[0].text for a in answers)
