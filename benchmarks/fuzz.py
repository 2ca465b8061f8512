"""Files as they should not be: is every one of them either worked on or refused in one clear line?

    python -m benchmarks.fuzz [--files N] [--seed S]

Modules of the yard and of the standard library with tokens taken out, doubled and exchanged, with other encodings, line
ends and extremes. Each goes through survey, outline, census, untangle (by proof) and its diff. Anything but a result or
an error that names the file is printed, with the seed that makes the file again.
"""

import argparse
import io
import random
import sys
import sysconfig
import tempfile
import tokenize
import traceback
from collections.abc import Iterator
from pathlib import Path

import dreck
from dreck.errors import DreckError

YARD = Path(dreck.__file__).parent / "demo" / "yard"
_SMALL = 12_000
_ODD = (
    "\x00",
    "\ufeff",
    "\x0c",
    "\u2028",
    "\t",
    "\\\n",
    "é",
    "𝔵",
    "\ud800",
    "#",
    '"""',
    "lambda: ",
    "await ",
    "*",
    "(",
    ")",
)


def originals() -> list[Path]:
    """Modules to start from, none of them long."""
    library = sorted(Path(sysconfig.get_paths()["stdlib"]).glob("*.py"))
    return [p for p in [*sorted(YARD.rglob("*.py")), *library] if 200 < p.stat().st_size < _SMALL]


def mutant(text: str, pick: random.Random) -> bytes:
    """One file made wrong, or only odd."""
    pieces = list(_tokens(text))
    for _ in range(pick.choice((1, 1, 2, 5))):
        at = pick.randrange(len(pieces))
        other = pick.randrange(len(pieces))
        match pick.choice(("drop", "double", "exchange", "odd", "block")):
            case "drop":
                pieces[at] = ""
            case "double":
                pieces[at] *= pick.choice((2, 2, 40))
            case "exchange":
                pieces[at], pieces[other] = pieces[other], pieces[at]
            case "odd":
                pieces[at] += pick.choice(_ODD)
            case "block":
                del pieces[min(at, other) : min(at, other) + 8]
    made = "".join(pieces)
    match pick.choice(("", "", "", "", "cr", "crlf", "coding", "cut", "mixed")):
        case "cr":
            made = made.replace("\n", "\r")
        case "crlf":
            made = made.replace("\n", "\r\n")
        case "mixed":
            made = "\r\n".join(made.split("\n", 5))
        case "coding":
            made = f"# coding: {pick.choice(('idna', 'utf-16', 'latin-1', 'rot13', 'undefined', 'utf-7', 'cp437'))}\n{made}"
        case "cut":
            made = made[: pick.randrange(len(made) + 1)]
    return made.encode("utf-8", "surrogatepass")


def _tokens(text: str) -> Iterator[str]:
    """The text in its tokens, and what stands between them."""
    lines, at = text.splitlines(keepends=True), (1, 0)
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        yield _between(lines, at, token.start)
        yield token.string
        at = token.end


def _between(lines: list[str], start: tuple[int, int], end: tuple[int, int]) -> str:
    if start >= end or end[0] > len(lines):
        return ""
    if start[0] == end[0]:
        return lines[start[0] - 1][start[1] : end[1]]
    return lines[start[0] - 1][start[1] :] + "".join(lines[start[0] : end[0] - 1]) + lines[end[0] - 1][: end[1]]


def worked_on(path: Path) -> None:
    """Every view of a file and every step on it; a difference that would not compile is an error."""
    dreck.survey(path)
    dreck.census(path)
    result = dreck.untangle(path, verdict="proved")
    for file in result.files:
        if file.changed and _compiles(file.old):
            compile(file.new, str(path), "exec", dont_inherit=True)
    for name in [f.name for file in result.files for f in file.functions][:2]:
        dreck.outline(f"{path}::{name}")


def _compiles(text: str) -> bool:
    try:
        compile(text, "odd.py", "exec", dont_inherit=True)
    except (SyntaxError, ValueError):
        return False
    return True


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--files", type=int, default=2_000)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    paths, failed, refused = originals(), 0, 0
    with tempfile.TemporaryDirectory(prefix="dreck-fuzz-") as folder:
        path = Path(folder) / "odd.py"
        for number in range(asked.files):
            pick = random.Random(asked.seed * 1_000_003 + number)
            path.write_bytes(mutant(pick.choice(paths).read_text(encoding="utf-8"), pick))
            try:
                worked_on(path)
            except DreckError as error:
                refused += 1
                if "\n" in str(error) or str(path) not in str(error):
                    failed += 1
                    print(f"{number}: not one clear line: {error!s:.200}")
            except Exception:
                failed += 1
                print(f"{number}: {traceback.format_exc(limit=-3)}", flush=True)
            if number % 50 == 49:
                print(".", end="", file=sys.stderr, flush=True)
    print(f"{asked.files} files, {refused} refused, {failed} not as they should be")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
