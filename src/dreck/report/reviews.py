"""A comparison for a review or a pipeline: Markdown for a comment, JUnit XML for a test report."""

import re
from pathlib import Path
from xml.etree import ElementTree

from dreck.source.files import save_bytes
from dreck.workbench.compare.comparison import Comparison
from dreck.workbench.judging.verdict import Verdict

_ORDER = ("differs", "unsettled", "tested", "proved")
_TITLES = {"differs": "Differs", "unsettled": "Could not be told"}


def write_markdown(path: Path, found: Comparison) -> None:
    """What differs first, with the input that shows it; then what is open; then what holds, folded away."""
    by_status = {status: [(n, v) for n, v in found.functions if v.status == status] for status in _ORDER}
    told = ", ".join(f"{len(of)} {status}" for status, of in by_status.items() if of) or "nothing to compare"
    lines = [f"**Behaviour:** {told}", ""]
    for status in ("differs", "unsettled"):
        if not by_status[status]:
            continue
        lines += [f"### {_TITLES[status]}", ""]
        for name, verdict in by_status[status]:
            lines += _opened(name, verdict)
        lines.append("")
    held = [(n, v) for status in ("tested", "proved") for n, v in by_status[status]]
    if held:
        lines += [f"<details><summary>The same: {len(held)}</summary>", ""]
        lines += [f"- `{name}` {_grounds(verdict)}" for name, verdict in held]
        lines += ["", "</details>", ""]
    for title, names in (("New", found.only_new), ("Gone", found.only_old), ("Defined otherwise", found.otherwise)):
        if names:
            lines += [f"{title}: {', '.join(f'`{name}`' for name in names)}", ""]
    if found.moved:
        lines += [f"Moved: {', '.join(f'`{old}` is `{new}`' for old, new in found.moved)}", ""]
    save_bytes(path, "\n".join(lines).encode())


def _opened(name: str, verdict: Verdict) -> list[str]:
    if verdict.difference is None:
        return [f"- `{name}`: {_plain(verdict.reason)}"]
    told = verdict.difference
    rows = [("input", told.input), ("old", told.old), ("new", told.new)]
    return [f"- `{name}`", "  | | |", "  | --- | --- |", *(f"  | {what} | {_cell(text)} |" for what, text in rows)]


def _cell(text: str) -> str:
    fence = "``" if "`" in text else "`"
    return f"{fence}{' '.join(text.split())}{fence}".replace("|", "\\|")


def _plain(text: str) -> str:
    return " ".join(text.split()).replace("<", "&lt;")


def _grounds(verdict: Verdict) -> str:
    if verdict.status == "tested":
        return f"tested: {verdict.trial_told()}"
    return "proved" + (f", assuming {', '.join(verdict.assumptions)}" if verdict.assumptions else "")


def write_junit(path: Path, found: Comparison, least: str) -> None:
    """Each function is a test case: it fails when it differs, is unsettled, or is held by less than `least`."""
    suite = ElementTree.Element("testsuite", name="dreck compare", tests=str(len(found.functions)))
    failures = 0
    for name, verdict in found.functions:
        case = ElementTree.SubElement(suite, "testcase", classname="dreck", name=name)
        against = _against(verdict, least)
        if against:
            failures += 1
            failure = ElementTree.SubElement(case, "failure", message=_legal(against), type=verdict.status)
            failure.text = _legal(str(verdict))
    suite.set("failures", str(failures))
    whole = ElementTree.Element("testsuites", tests=str(len(found.functions)), failures=str(failures))
    whole.append(suite)
    ElementTree.indent(whole)
    save_bytes(path, b'<?xml version="1.0" encoding="utf-8"?>\n' + ElementTree.tostring(whole) + b"\n")


def _against(verdict: Verdict, least: str) -> str:
    if verdict.status == "differs" and verdict.difference is not None:
        return f"differs for {verdict.difference.input}"
    if verdict.status == "unsettled":
        return f"unsettled: {verdict.reason}"
    return "tested, not proved" if least == "proved" and verdict.status == "tested" else ""


def _legal(text: str) -> str:
    """Text without what XML cannot hold."""
    return re.sub("[^\t\n\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]", "?", text)
