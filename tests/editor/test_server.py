"""The server for editors, driven by a real client over a real pipe: open, ask, resolve, apply, edit, hover."""

import asyncio
import subprocess
import sys

import pytest
from lsprotocol import types as lsp
from pygls.lsp.client import LanguageClient

GATE = """\
def admit(load, permit):
    if permit is not None:
        if load.kilos > 10:
            load.weigh()
            load.note()
        load.enter()
    else:
        raise ValueError(load)


def line_of(kind):
    if kind == "glass":
        return 1
    elif kind == "paper":
        return 2
    elif kind == "metal":
        return 3
    else:
        return 0


def twice(a):
    if a is None:
        if a is None:
            return 1
        return 2
    return 3
"""


class Desk:
    """One open document, and what a person at an editor does with it."""

    def __init__(self, client, uri, marks, went_on):
        self.client, self.uri, self.marks, self.went_on = client, uri, marks, went_on
        self.document = lsp.TextDocumentIdentifier(uri)

    async def actions(self, first, last=None):
        span = lsp.Range(lsp.Position(first - 1, 0), lsp.Position((last or first) - 1, 4 if last else 0))
        asked = lsp.CodeActionParams(self.document, span, lsp.CodeActionContext([]))
        return {a.title: a for a in await self.client.text_document_code_action_async(asked) or []}

    async def resolve(self, action):
        return await self.client.code_action_resolve_async(action)

    async def change(self, text, version):
        whole = lsp.TextDocumentContentChangeWholeDocument(text)
        document = lsp.VersionedTextDocumentIdentifier(version, self.uri)
        self.client.text_document_did_change(lsp.DidChangeTextDocumentParams(document, [whole]))


def commit_gate(folder):
    """The open document as the first commit of a repository."""
    who = ["-c", "user.name=yard", "-c", "user.email=yard@example.org"]
    for args in (["init"], ["add", "gate.py"], ["commit", "-m", "gate"]):
        subprocess.run(["git", *who, *args], cwd=folder, check=True, capture_output=True)


def at_the_desk(tmp_path, work, text=GATE, **options):
    """Starts the server as an editor does, opens a document, and lets `work` go on."""

    async def done():
        client = LanguageClient("an editor", "1")
        marks, went_on = asyncio.Queue(), []

        @client.feature(lsp.TEXT_DOCUMENT_PUBLISH_DIAGNOSTICS)
        def published(params):
            marks.put_nowait(params.diagnostics)

        await client.start_io(sys.executable, "-m", "dreck", "serve")

        @client.feature(lsp.PROGRESS)
        def going_on(params):
            went_on.append(params.value)

        @client.feature(lsp.WINDOW_WORK_DONE_PROGRESS_CREATE)
        def shown(params):
            return None

        able = lsp.ClientCapabilities(window=lsp.WindowClientCapabilities(work_done_progress=True))
        await client.initialize_async(lsp.InitializeParams(able, initialization_options=options))
        file = tmp_path / "gate.py"
        file.write_text(text)
        item = lsp.TextDocumentItem(file.as_uri(), "python", 1, text)
        client.text_document_did_open(lsp.DidOpenTextDocumentParams(item))
        await work(Desk(client, file.as_uri(), marks, went_on))
        await client.shutdown_async(None)
        client.exit(None)
        await client.stop()

    asyncio.run(asyncio.wait_for(done(), 120))


def applied(text, edit):
    """The text with the one edit of a file carried out."""
    (changes,) = edit.changes.values()
    (change,) = changes
    lines = text.splitlines(keepends=True)
    start, end = change.range.start.line, change.range.end.line
    return "".join([*lines[:start], change.new_text, *lines[end:]])


def test_an_action_carries_its_edit_and_its_verdict(tmp_path):
    async def work(desk):
        offered = await desk.actions(3)
        straight = offered["Straighten this function"]
        straight.data = {name: value for name, value in straight.data.items() if value is not None}
        found = await desk.resolve(straight)
        assert "[proved" in found.title
        new = applied(GATE, found.edit)
        assert "    if permit is None:\n        raise ValueError(load)\n" in new and new.endswith("    return 3\n")
        table = next(a for title, a in (await desk.actions(12)).items() if title.startswith("lookup-table"))
        told = await desk.resolve(table)
        assert "assuming hashable-key" in told.title and "LINE_BY_KIND" in applied(GATE, told.edit)

    at_the_desk(tmp_path, work)


def test_a_selection_is_cut_out(tmp_path):
    async def work(desk):
        cut = (await desk.actions(4, 5))["Cut lines 4 to 5 out"]
        assert cut.kind == lsp.CodeActionKind.RefactorExtract
        new = applied(GATE, (await desk.resolve(cut)).edit)
        assert "            new_name(load)\n" in new and "def new_name(load):" in new

    at_the_desk(tmp_path, work)


def test_what_is_marked_follows_the_text(tmp_path):
    async def work(desk):
        (mark,) = await desk.marks.get()
        assert mark.code == "decided-test" and mark.range.start.line == 23
        assert mark.severity == lsp.DiagnosticSeverity.Information
        await desk.change("def f(:\n", 2)
        assert not await desk.marks.get() and not await desk.actions(1)
        await desk.change("def f(a):\n    return a\n", 3)
        assert not await desk.marks.get()

    at_the_desk(tmp_path, work)


def test_a_hole_and_an_overlap_are_marked(tmp_path):
    text = (
        "import enum\n\n\nclass Kind(enum.Enum):\n    GLASS = 1\n    PAPER = 2\n    METAL = 3\n\n\n"
        "def fee(kind):\n    if kind is Kind.GLASS:\n        return 1\n    elif kind is Kind.PAPER:\n        return 2\n\n\n"
        "def band(kilos):\n    if kilos > 10:\n        return 'A'\n    elif kilos > 20:\n        return 'B'\n    return 'C'\n"
    )

    async def work(desk):
        found = [(m.code, m.range.start.line) for m in await desk.marks.get()]
        assert found == [("hole", 10), ("overlap", 19)]
        await desk.change(f"# one line more\n{text}", 2)
        assert [(m.code, m.range.start.line) for m in await desk.marks.get()] == [("hole", 11), ("overlap", 20)]

    at_the_desk(tmp_path, work, text)


def test_a_function_is_compared_with_the_last_commit(tmp_path):
    async def work(desk):
        commit_gate(tmp_path)
        (offered,) = (a for title, a in (await desk.actions(3)).items() if title.startswith("Compare"))
        command = (await desk.resolve(offered)).command
        asked = lsp.ExecuteCommandParams(command.command, command.arguments)
        told = await desk.client.workspace_execute_command_async(asked)
        assert told.startswith("admit: proved")
        assert [step["kind"] for step in desk.went_on] == ["begin", "end"]
        await desk.change(GATE.replace("load.note()", "load.forget()"), 2)
        told = await desk.client.workspace_execute_command_async(asked)
        assert told.startswith("admit: unsettled")

    at_the_desk(tmp_path, work)


def test_numbers_above_and_the_outline_on_a_def(tmp_path):
    async def work(desk):
        lenses = await desk.client.text_document_code_lens_async(lsp.CodeLensParams(desk.document))
        assert [(le.range.start.line, le.command.title) for le in lenses][0] == (0, "tangle 7, 3 ways")
        at = lsp.HoverParams(desk.document, lsp.Position(0, 5))
        told = (await desk.client.text_document_hover_async(at)).contents.value
        assert (
            "- A `permit is not None`\n- B `load.kilos > 10`\n" in told
            and "| no  |     | `raise ValueError(load)` |" in told
        )
        elsewhere = lsp.HoverParams(desk.document, lsp.Position(2, 5))
        assert await desk.client.text_document_hover_async(elsewhere) is None

    at_the_desk(tmp_path, work)


@pytest.mark.parametrize("trial", [False, True])
def test_code_is_run_only_where_the_client_says_so(tmp_path, trial):
    """A step that no proof holds is refused without a trial, and taken with one."""
    text = "def unit(text):\n    if text.lower() == 'kg':\n        return 1\n    elif text.lower() == 't':\n        return 2\n    elif text.lower() == 'g':\n        return 3\n    return 0\n"

    async def work(desk):
        table = next(a for title, a in (await desk.actions(2)).items() if title.startswith("lookup-table"))
        found = await desk.resolve(table)
        assert ("[tested" in found.title) is trial and (found.disabled is None) is trial

    at_the_desk(tmp_path, work, text, trial=trial)


def test_a_kind_that_another_file_knows_is_marked(tmp_path):
    (tmp_path / "fees.py").write_text(
        "def fee(kind):\n    if kind == 'glass':\n        return 1\n    elif kind == 'paper':\n        return 2\n"
        "    elif kind == 'tin':\n        return 3\n"
    )
    text = "def bay(kind):\n    if kind == 'glass':\n        return 1\n    elif kind == 'paper':\n        return 2\n"

    async def work(desk):
        assert [m.code for m in await desk.marks.get()] == ["hole"]
        _, mark = await desk.marks.get()
        assert (mark.code, mark.range.start.line) == ("forgotten-kind", 1)
        assert "'tin': not handled here, as it is in" in mark.message and mark.message.endswith("fees.py::fee")
        await desk.change("\n" + text, 2)
        assert [m.code for m in await desk.marks.get()] == ["hole"]

    at_the_desk(tmp_path, work, text)


def test_work_that_goes_on_is_cancelled(tmp_path):
    """The trial that is not wanted any more is ended, and the next one is made as ever."""
    text = "def f(n: int):\n    total = 0\n    for i in range(150_000):\n        total += i * n % 7\n    return total\n"

    async def work(desk):
        commit_gate(tmp_path)
        await desk.change(text.replace("return total", "return total * 1"), 2)
        asked = lsp.ExecuteCommandParams("dreck.compare", [desk.uri, "f"])
        going = desk.client.workspace_execute_command(asked)
        (number,) = [n for n, future in desk.client.protocol._request_futures.items() if future is going]
        while not desk.went_on:
            await asyncio.sleep(0.05)
        desk.client.protocol.notify("$/cancelRequest", lsp.CancelParams(number))
        while [step["kind"] for step in desk.went_on] != ["begin", "end"]:
            await asyncio.sleep(0.05)
        with pytest.raises(Exception, match=r"cancel|not wanted"):
            await asyncio.wrap_future(going)
        await desk.change(text.replace("150_000", "n"), 3)
        told = await desk.client.workspace_execute_command_async(asked)
        assert told.startswith("f: differs")

    at_the_desk(tmp_path, work, text, trial=True)
