"""SARIF 2.1.0 (OASIS): what was found, as tools for reviews and pipelines read it. Rules have names of our own."""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path, PurePath
from typing import Any

from dreck import __version__
from dreck.source.files import save_bytes
from dreck.workbench.compare.comparison import Comparison
from dreck.workbench.queries.census import Census
from dreck.workbench.queries.outlined import Outline
from dreck.workbench.queries.survey import Survey

_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json"
RULES = {
    "tangled-function": "A reader holds many tests open in it; `dreck offer` tells what could be done.",
    "decided-test": "An earlier test has settled this one: it always comes out the same way.",
    "hole": "There are values for which no way of a chain is meant.",
    "overlap": "Two arms of a chain may both fit; the first one counts.",
    "same-exit": "Several ways end alike.",
    "impossible-way": "No value goes this way.",
    "missing-kind": "A switch on the same thing elsewhere handles this kind; here it falls to the default, or nowhere.",
    "differs": "The two versions do not do the same: an input shows it.",
    "unsettled": "It could not be shown that the two versions do the same.",
}


@dataclass(frozen=True, slots=True)
class Finding:
    """One result: a rule's name, how grave it is (`error`, `warning`, `note`), what is said, and where."""

    rule: str
    level: str
    text: str
    path: str
    line: int


def of_survey(survey: Survey, most: int) -> list[Finding]:
    """A finding for each function over the tangle that is allowed."""
    found = []
    for row in survey.over(most):
        path, _, name = row.function.partition("::")
        told = f"{name} has tangle {row.tangle} (depth {row.depth}, longest test {row.longest_test})"
        found.append(Finding("tangled-function", "warning", f"{told}; {most} are allowed", path, row.line))
    return found


_NOTES = {"decided": "decided-test", "same exit": "same-exit", "impossible": "impossible-way"}


def of_outlines(outlines: Iterable[Outline]) -> list[Finding]:
    """A finding for each note of an outline."""
    found = []
    for outline in outlines:
        data = outline.as_json()
        path = str(data["function"]).partition("::")[0]
        for note in data["notes"]:
            rule = _NOTES.get(note["kind"], note["kind"])
            level = "note" if rule == "same-exit" else "warning"
            found.append(Finding(rule, level, note["text"], path, note["line"] or data["line"]))
    return found


def of_census(census: Census) -> list[Finding]:
    """A finding for each kind that a place forgets."""
    found = []
    for group in census.as_json()["groups"]:
        for kind, row in zip(group["kinds"], group["cells"], strict=True):
            for place, cell in zip(group["places"], row, strict=True):
                if cell == "missing":
                    path = place["function"].partition("::")[0]
                    text = f"{kind} of {group['discriminant']} is handled elsewhere and not here"
                    found.append(Finding("missing-kind", "warning", text, path, place["line"]))
    return found


def of_comparison(found: Comparison, target: str, lines: dict[str, int]) -> list[Finding]:
    """A finding for each function that differs or is unsettled. `lines` says where they stand in the new version."""
    findings = []
    for name, verdict in found.functions:
        path, mark, _ = name.partition("::")
        where = path if mark else target
        if verdict.status == "differs" and verdict.difference is not None:
            told = verdict.difference
            text = f"{name} differs for {told.input}: old {told.old}; new {told.new}"
            findings.append(Finding("differs", "error", text, where, lines.get(name, 1)))
        elif verdict.status == "unsettled":
            findings.append(Finding("unsettled", "note", f"{name}: {verdict.reason}", where, lines.get(name, 1)))
    return findings


def write_sarif(path: Path, findings: Iterable[Finding]) -> None:
    """One run with all findings. Raises BadSource when the file cannot be written."""
    found = list(findings)
    used = [rule for rule in RULES if any(f.rule == rule for f in found)]
    rules = [
        {
            "id": rule,
            "name": "".join(word.capitalize() for word in rule.split("-")),
            "shortDescription": {"text": RULES[rule]},
            "help": {"text": RULES[rule]},
        }
        for rule in used
    ]
    driver = {"name": "dreck", "version": __version__, "rules": rules}
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": [_result(f, used) for f in found]}
    whole = {"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}
    save_bytes(path, (json.dumps(whole, indent=1) + "\n").encode())


def _result(f: Finding, rules: list[str]) -> dict[str, Any]:
    place = {
        "physicalLocation": {
            "artifactLocation": {"uri": _uri(f.path)},
            "region": {"startLine": max(1, f.line)},
        }
    }
    return {
        "ruleId": f.rule,
        "ruleIndex": rules.index(f.rule),
        "level": f.level,
        "message": {"text": f.text},
        "locations": [place],
    }


def _uri(path: str) -> str:
    """A file as a reference: relative where it lies below the folder one stands in."""
    place = Path(path)
    if not place.is_absolute():
        return PurePath(path).as_posix()
    try:
        return place.relative_to(Path.cwd()).as_posix()
    except ValueError:
        return place.as_uri()
