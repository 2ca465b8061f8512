"""What comments say of the branches they stand at, and whether they still would when a test is turned round."""

import ast
import re
from collections.abc import Callable

_NEUTRAL = re.compile(
    r"#\s*(check|validate|verify|make sure|ensure|test|todo|fixme|xxx|step|now|next|then|first|finally)\b", re.I
)
"""Comments that say what is done, whichever way the test is asked."""
_EXCEPTION_WORDS = """
no not nobody nothing none never without unless only must cannot can't don't doesn't isn't refuse refused reject
rejected deny denied invalid illegal error errors missing too expired fail fails failed bail skip skipped ignore
ignored abort leave early already otherwise just
"""
_OF_THE_EXCEPTION = frozenset(_EXCEPTION_WORDS.split())
"""Words of comments that speak of the case that is not meant to come: they fit the guard."""
_GOES_ON = re.compile(r"#\s*(otherwise|else|if not|in (all|any) other|when not|the other)\b", re.I)
"""Comments that go on from what is said of the branch before."""


def comment_would_lie(s: ast.If, line_of: Callable[[int], str]) -> bool:
    """Whether the comment above a test, or at its else, speaks of the test as it stands."""
    if s.orelse and any(map(_GOES_ON.match, _comments_at(s.orelse, line_of))):
        return True
    above = line_of(s.lineno - 1).strip()
    if (
        not above.startswith("#")
        or _NEUTRAL.match(above)
        or _OF_THE_EXCEPTION & set(re.findall(r"[\w']+", above.lower()))
    ):
        return False
    until_else = re.split(r"(?m)^\s*else\s*:(?=(.*))", head_of_else(s, line_of))[:2] if s.orelse else []
    return "#" not in "".join(until_else)


def _comments_at(body: list[ast.stmt], line_of: Callable[[int], str]) -> list[str]:
    """The comments above the first statement of a branch, those at its `else:` among them."""
    found: list[str] = []
    line = body[0].lineno - 1
    while line > 0 and (line_of(line).strip().startswith("#") or line_of(line).strip().startswith("else:")):
        found.append(line_of(line).partition("else:")[2].strip() or line_of(line).strip())
        line -= 1
    return found


def head_of_else(s: ast.If, line_of: Callable[[int], str]) -> str:
    """The lines between the last statement of the body and the first of the else."""
    first, last = (s.body[-1].end_lineno or s.body[-1].lineno) + 1, s.orelse[0].lineno
    return "\n".join(line_of(number) for number in range(first, last))
