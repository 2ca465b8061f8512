"""A server of the Language Server Protocol (3.17) over standard input and output, on pygls."""

import re
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlparse

from lsprotocol import types as lsp
from pygls.exceptions import JsonRpcRequestCancelled
from pygls.lsp.server import LanguageServer
from pygls.protocol import LanguageServerProtocol

from dreck import __version__
from dreck.editor import desk
from dreck.editor.forgotten import forgotten
from dreck.editor.mark import Mark
from dreck.errors import DreckError
from dreck.trial.server import GivenUp, begin, give_up

_COMPARE = "dreck.compare"
"""The command that compares a function with the last commit: the document and the function are its arguments."""


_ELSEWHERE: dict[str, list[tuple[Mark, str]]] = {}
"""By document, what its switches forget and others do not, with the lines as they were when that was found."""
_KINDS = {desk.CUT: lsp.CodeActionKind.RefactorExtract, desk.COMPARE: lsp.CodeActionKind.Source}


def serve() -> None:
    """Serves until the client says that it is enough."""
    made().start_io()


def made() -> LanguageServer:
    """The server with all that it answers."""
    server = LanguageServer("dreck", __version__, protocol_cls=_Protocol)
    settings: dict[str, Any] = {}

    @server.feature(lsp.INITIALIZE)
    def initialized(params: lsp.InitializeParams) -> None:
        options = params.initialization_options
        settings["trial"] = bool(options.get("trial")) if isinstance(options, dict) else False

    @server.feature(lsp.TEXT_DOCUMENT_DID_OPEN)
    @server.thread()
    def opened(params: lsp.DidOpenTextDocumentParams) -> None:
        _mark(server, params.text_document.uri)
        _mark(server, params.text_document.uri, elsewhere=True)

    @server.feature(lsp.TEXT_DOCUMENT_DID_CHANGE)
    def changed(params: lsp.DidChangeTextDocumentParams) -> None:
        _mark(server, params.text_document.uri)

    @server.feature(lsp.TEXT_DOCUMENT_DID_CLOSE)
    def closed(params: lsp.DidCloseTextDocumentParams) -> None:
        _ELSEWHERE.pop(params.text_document.uri, None)

    @server.feature(lsp.TEXT_DOCUMENT_DID_SAVE)
    @server.thread()
    def saved(params: lsp.DidSaveTextDocumentParams) -> None:
        _mark(server, params.text_document.uri, elsewhere=True)

    @server.feature(
        lsp.TEXT_DOCUMENT_CODE_ACTION,
        lsp.CodeActionOptions(
            [lsp.CodeActionKind.RefactorRewrite, lsp.CodeActionKind.RefactorExtract, lsp.CodeActionKind.Source],
            resolve_provider=True,
        ),
    )
    def actions(params: lsp.CodeActionParams) -> list[lsp.CodeAction]:
        uri, span = params.text_document.uri, params.range
        first, last = span.start.line + 1, span.end.line + (1 if span.end.character else 0)
        found: list[lsp.CodeAction] = _quietly(lambda: _actions(uri, _text(server, uri), first, max(first, last)), [])
        return found

    @server.feature(lsp.CODE_ACTION_RESOLVE)
    @server.thread()
    def resolved(action: lsp.CodeAction) -> lsp.CodeAction:
        begin()
        try:
            return _resolved(server, action, bool(settings.get("trial")))
        except GivenUp as error:
            raise JsonRpcRequestCancelled(str(error)) from None

    @server.command(_COMPARE)
    @server.thread()
    def compared(uri: str, function: str) -> str:
        begin()
        with _in_progress(server, f"comparing {function}"):
            try:
                told = desk.compared(_path(uri), _text(server, uri), function, bool(settings.get("trial")))
            except (DreckError, RecursionError) as error:
                told = str(error)
            except GivenUp as error:
                raise JsonRpcRequestCancelled(str(error)) from None
        server.window_show_message(lsp.ShowMessageParams(lsp.MessageType.Info, told))
        return told

    @server.feature(lsp.TEXT_DOCUMENT_CODE_LENS)
    def lenses(params: lsp.CodeLensParams) -> list[lsp.CodeLens]:
        uri = params.text_document.uri
        found = _quietly(lambda: desk.numbers(_path(uri), _text(server, uri)), [])
        return [lsp.CodeLens(_line(line), lsp.Command(told, "")) for line, told in found]

    @server.feature(lsp.TEXT_DOCUMENT_HOVER)
    def hover(params: lsp.HoverParams) -> lsp.Hover | None:
        uri = params.text_document.uri
        told = _quietly(lambda: desk.told_about(_path(uri), _text(server, uri), params.position.line + 1), "")
        return lsp.Hover(lsp.MarkupContent(lsp.MarkupKind.Markdown, told)) if told else None

    return server


class _Protocol(LanguageServerProtocol):
    """The protocol, with work that is cancelled while it goes on."""

    def __init__(self, *args: Any) -> None:
        super().__init__(*args)
        self._commands: set[Any] = set()

    def _handle_request(self, msg_id: Any, method_name: str, params: Any) -> None:
        if method_name == lsp.WORKSPACE_EXECUTE_COMMAND:
            self._commands.add(msg_id)
        super()._handle_request(msg_id, method_name, params)

    def _handle_cancel_notification(self, msg_id: Any) -> None:
        asked = self._request_futures.get(msg_id)
        goes_on = asked is not None and (asked.running() or (msg_id in self._commands and not asked.done()))
        super()._handle_cancel_notification(msg_id)
        self._commands.discard(msg_id)
        if goes_on:
            give_up()


@contextmanager
def _in_progress(server: LanguageServer, told: str) -> Iterator[None]:
    """Shown as going on, by a client that shows such things."""
    window = server.client_capabilities.window
    if window is None or not window.work_done_progress:
        yield
        return
    token = str(uuid.uuid4())
    server.work_done_progress.create(token).result()
    server.work_done_progress.tokens[token].add_done_callback(lambda _: give_up())
    server.work_done_progress.begin(token, lsp.WorkDoneProgressBegin(told, cancellable=True))
    try:
        yield
    finally:
        server.work_done_progress.end(token, lsp.WorkDoneProgressEnd())


def _quietly(ask: Any, otherwise: Any) -> Any:
    """What is asked; text that is no Python yet, as while somebody types, is no reason for an error."""
    try:
        return ask()
    except (DreckError, RecursionError):
        return otherwise


def _path(uri: str) -> Path:
    return Path(unquote(urlparse(uri).path))


def _text(server: LanguageServer, uri: str) -> str:
    return server.workspace.get_text_document(uri).source


def _line(line: int) -> lsp.Range:
    return lsp.Range(lsp.Position(line - 1, 0), lsp.Position(line, 0))


def _mark(server: LanguageServer, uri: str, elsewhere: bool = False) -> None:
    """Tells the client what to mark; what other files make of it is looked for where that may take longer."""
    path, text = _path(uri), _text(server, uri)
    lines = text.splitlines()
    found = _quietly(lambda: desk.marks(path, text), [])
    if elsewhere:
        theirs: list[Mark] = _quietly(lambda: forgotten(path, text), [])
        before = _ELSEWHERE.get(uri, [])
        _ELSEWHERE[uri] = [(mark, lines[mark.line - 1]) for mark in theirs]
        if before == _ELSEWHERE[uri]:
            return  # there is nothing to add
    if _text(server, uri) != text:
        return  # it was changed meanwhile, and marked since
    found += [mark for mark, line in _ELSEWHERE.get(uri, []) if lines[mark.line - 1 : mark.line] == [line]]
    diagnostics = [
        lsp.Diagnostic(_line(m.line), m.text, lsp.DiagnosticSeverity.Information, m.rule, source="dreck") for m in found
    ]
    server.text_document_publish_diagnostics(lsp.PublishDiagnosticsParams(uri, diagnostics))


def _actions(uri: str, text: str, first: int, last: int) -> list[lsp.CodeAction]:
    made = []
    for action in desk.actions_at(_path(uri), text, first, last):
        kind = _KINDS.get(action.step, lsp.CodeActionKind.RefactorRewrite)
        data = {"uri": uri, "step": action.step, "function": action.function, "lines": action.lines}
        made.append(lsp.CodeAction(action.title, kind, data=data))
    return made


def _resolved(server: LanguageServer, action: lsp.CodeAction, trial: bool) -> lsp.CodeAction:
    """The action with its edit and its verdict in the title; or disabled, with the reason."""
    data: Any = action.data
    uri = str(data["uri"])
    if data["step"] == desk.COMPARE:
        action.command = lsp.Command(action.title, _COMPARE, arguments=[uri, data["function"]])
        return action
    lines = tuple(data["lines"]) if data.get("lines") else None  # some clients leave out what is null
    wanted = desk.Action(action.title, data["step"], data["function"], lines)
    try:
        done = desk.carried_out(_path(uri), _text(server, uri), wanted, trial)
    except DreckError as error:
        done = desk.Done((), "", str(error))
    if done.refused:
        action.disabled = lsp.CodeActionDisabled(done.refused)
        action.title = f"{action.title} (not possible: {done.refused})"
        return action
    changes = {}
    for path, new in done.texts:
        target = uri if path == _path(uri) else path.resolve().as_uri()
        changes[target] = [_whole(_text(server, target), new)]
    action.edit = lsp.WorkspaceEdit(changes=changes)
    action.title = f"{action.title} [{done.told}]"
    return action


def _whole(old: str, new: str) -> lsp.TextEdit:
    """The lines that are other ones: what is alike at the beginning and the end stays untouched."""
    before, after = re.split(r"(?<=\n)", old), re.split(r"(?<=\n)", new)
    first = 0
    while first < min(len(before), len(after)) and before[first] == after[first]:
        first += 1
    last = 0
    while last < min(len(before), len(after)) - first and before[-1 - last] == after[-1 - last]:
        last += 1
    span = lsp.Range(lsp.Position(first, 0), lsp.Position(len(before) - last, 0))
    return lsp.TextEdit(span, "".join(after[first : len(after) - last]))
