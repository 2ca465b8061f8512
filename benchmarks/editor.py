"""What an editor waits for: each request over a real pipe, after a change of a file of about 1,000 lines.

    python -m benchmarks.editor [FILE]

Once warm, an answer may take 100 ms. The time is that of the clock: beside busy processes it says little.
"""

import asyncio
import statistics
import sys
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

from lsprotocol import types as lsp
from pygls.lsp.client import LanguageClient

from benchmarks.library import modules
from dreck.model.views.measures import measure
from dreck.source.functions import functions_in, parse

_ROUNDS = 15
_WARM = 3
_REACH = 100


def _about_a_thousand_lines() -> Path:
    return min(modules(), key=lambda path: abs(len(path.read_text("utf-8", "replace").splitlines()) - 1_000))


async def _timed(ask: Callable[[], Awaitable[Any]]) -> float:
    begun = time.perf_counter()
    await ask()
    return (time.perf_counter() - begun) * 1_000


async def _measured(path: Path) -> dict[str, list[float]]:
    text = path.read_text("utf-8")
    functions = [f for f in functions_in(parse(text, path), text) if measure(f.node).tangle > 5]
    client = LanguageClient("benchmark", "1")
    await client.start_io(sys.executable, "-m", "dreck", "serve")
    await client.initialize_async(lsp.InitializeParams(lsp.ClientCapabilities()))
    client.initialized(lsp.InitializedParams())
    uri = path.as_uri()
    document = lsp.TextDocumentIdentifier(uri)
    client.text_document_did_open(lsp.DidOpenTextDocumentParams(lsp.TextDocumentItem(uri, "python", 1, text)))
    found: dict[str, list[float]] = {"code actions": [], "code lenses": [], "hover": []}
    for number in range(_ROUNDS):
        place = functions[number % len(functions)].node
        whole = lsp.TextDocumentContentChangeWholeDocument(f"{text}\nROUND = {number}\n")
        version = lsp.VersionedTextDocumentIdentifier(number + 2, uri)
        client.text_document_did_change(lsp.DidChangeTextDocumentParams(version, [whole]))
        line = lsp.Position(place.lineno, 0)
        inside = lsp.CodeActionParams(document, lsp.Range(line, line), lsp.CodeActionContext([]))
        above = lsp.HoverParams(document, lsp.Position(place.lineno - 1, 0))
        asked: dict[str, Callable[[], Awaitable[Any]]] = {
            "code lenses": lambda: client.text_document_code_lens_async(lsp.CodeLensParams(document)),
            "code actions": lambda p=inside: client.text_document_code_action_async(p),
            "hover": lambda p=above: client.text_document_hover_async(p),
        }
        for name, ask in asked.items():
            found[name].append(await _timed(ask))
    await client.shutdown_async(None)
    client.exit(None)
    await client.stop()
    return {name: times[_WARM:] for name, times in found.items()}


def main() -> int:
    path = Path(sys.argv[1]).absolute() if len(sys.argv) > 1 else _about_a_thousand_lines()
    print(f"{path.name}, {len(path.read_text('utf-8').splitlines())} lines, a change before each round")
    for name, times in asyncio.run(_measured(path)).items():
        middle = statistics.median(times)
        told = "reached" if middle <= _REACH else "MISSED"
        print(f"{name:<14} {middle:6.0f} ms, at most {max(times):6.0f} ms  (<= {_REACH} ms: {told})")
    return 0


if __name__ == "__main__":
    sys.exit(main())
