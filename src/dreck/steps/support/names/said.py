"""What is said of a case: in the comment above it, and in what people are told when it comes."""

import ast
import re
from collections.abc import Iterator

from dreck.source.walking import walk
from dreck.steps.support.names.vocabulary import (
    ADJECTIVES,
    ARTICLES,
    ASKING,
    HOW_OFTEN,
    LEAVING_OUT,
    OF_CODE,
    ORDERS,
    PEOPLE,
    PLAIN_ADJECTIVES,
    PREPOSITIONS,
    REFUSING,
    SMALL,
    STATES,
    STILL,
)

_MOST_TOLD = 4


def as_question(words: list[str]) -> list[str]:
    """`is_empty`, `has_no_permit`: words that say what something is, as what is asked of it."""
    if words[0] in ("no", "some") or words[:2] in (["too", "many"], ["too", "few"], ["not", "enough"]):
        return ["has", *words]
    return words if words[0] in (*ASKING, *HOW_OFTEN) else ["is", *words]


# --- comments ------------------------------------------------------------------------------------------


def said_above(comment: str) -> Iterator[list[str]]:
    """The state that a comment names: `# already weighed`, `# is it due for service?`, `# skip empty loads`."""
    comment = _LEADING_ON.split(comment)[0]
    words = _plain_words(comment)
    if not words or re.search("[(,]", comment) or set(words) & OF_CODE:
        return
    asked = comment.rstrip().endswith("?")
    if asked and words[0] in ("is", "are", "was"):
        rest = [w for w in words[1:] if w not in ARTICLES and w != "it"]
        if 1 <= len(rest) <= _MOST_TOLD and not set(rest) & PEOPLE:
            yield ["is", *rest]
    if asked:
        return
    while words and words[0] in SMALL:
        words.pop(0)
    yield from _of_a_clause(words)
    yield from _left_out(words)
    told = [w for w in _up_to_preposition(words) if w not in ARTICLES]
    if len(told) == 2 and told[0] in STATES and told[0] != "not":
        yield as_question(told)
    if (
        1 <= len(words) <= 3
        and words[0] not in ORDERS | LEAVING_OUT
        and not words[0].endswith("ly")
        and not words[-1].endswith("s")
        and not set(words) & SMALL
        and any(map(is_adjective, (words[0], words[-1])))
    ):
        yield as_question(words)


def _plain_words(comment: str) -> list[str]:
    """The words of a comment in lower case; none where it holds code, names or figures."""
    words = re.sub(r"[^A-Za-z ]", " ", comment[:2].lower() + comment[2:3].lower() + comment[3:]).split()
    if any(not word.islower() for word in words):
        return []
    told = comment.strip("# .:!?").replace("-", " ").split()
    return [] if "#" in comment[1:] or len(words) != len(told) else words


_LEADING_ON = re.compile(r"\s*(?:->|=>|→|;)")
"""What parts the case from what is done there: `# no permit -> send back`."""


def _of_a_clause(words: list[str]) -> Iterator[list[str]]:
    """`permit has expired`, `wet paper is worth nothing`, `holders of a permit that is still valid`."""
    plain = [w for w in words if w not in ARTICLES or w == "that"]
    for at, word in enumerate(plain):
        if word not in ("is", "has") or not at:
            continue
        subject, rest = plain[:at], [w for w in plain[at + 1 :] if w not in STILL]
        if len(rest) == 1 and len(subject) > 1 and subject[-1] == "that":
            yield _of_that(subject[:-1], rest[0])
        elif len(rest) == 1 and len(subject) == 1 and is_adjective(rest[0]):
            yield [*subject, word, *rest]
        elif word == "is" and len(subject) == 2 and len(rest) > 1 and is_adjective(subject[0]):
            yield ["is", *subject]
        return


def _of_that(owner: list[str], adjective: str) -> list[str]:
    """`a load that is wet` is wet; `holders of a permit that is valid` have a valid permit."""
    if len(owner) >= 2 and owner[-2] in PREPOSITIONS:
        return ["has", adjective, owner[-1]]
    return ["is", adjective]


def _left_out(words: list[str]) -> Iterator[list[str]]:
    """`skip empty loads`: those are empty that the branch leaves out."""
    match words:
        case [first, adjective, thing] if first in LEAVING_OUT and thing.endswith("s") and is_adjective(adjective):
            yield ["is", adjective]


def _up_to_preposition(words: list[str]) -> list[str]:
    end = next((at for at, word in enumerate(words) if word in PREPOSITIONS), len(words))
    return words[:end]


def is_adjective(word: str) -> bool:
    return word in PLAIN_ADJECTIVES or (len(word) > 3 and word.endswith(ADJECTIVES) and not word.endswith("ment"))


# --- what people are told ------------------------------------------------------------------------------


def told_to_people(s: ast.stmt) -> Iterator[list[str]]:
    """`too heavy`, `no permit`: what an error, an answer or a line to print says of the case."""
    texts = [n.value for n in walk(s) if isinstance(n, ast.Constant) and isinstance(n.value, str)]
    is_written = any(isinstance(n, ast.JoinedStr) for n in walk(s))
    match s:
        case ast.Raise(exc=ast.Call()) | ast.Return(value=ast.Constant()) if len(texts) == 1 and not is_written:
            yield from _state(texts[0])
        case ast.Expr(value=ast.Call(args=[ast.Constant()])) if len(texts) == 1:
            yield from _state(texts[0])
            words = _told(texts[0])
            if words and words[0] in ("needs", "wants") and 2 <= len(words) <= _MOST_TOLD:
                yield words
    match s:
        case ast.Return(value=ast.Constant(value=str() as text)) if REFUSING.search(text):
            yield ["must", "refuse"]
        case ast.Expr(value=ast.Call(func=ast.Attribute(attr="append" | "add"), args=[ast.Constant()])) if texts:
            words = _told(texts[0])
            if 1 <= len(words) <= 3 and all(len(word) > 2 for word in words) and not texts[0].startswith("-"):
                yield ["needs", *words] if len(words) == 1 else ["goes", *words]


def _state(text: str) -> Iterator[list[str]]:
    """A message of a few words that says what is the matter."""
    words = _told(text)
    if words and words[0] in STATES and not set(words) & OF_CODE:
        told = [w for w in _up_to_preposition(words) if w not in ARTICLES]
        if 2 <= len(told) <= _MOST_TOLD:
            yield as_question(told)
    elif len(words) == 1 and is_adjective(words[0]):
        yield ["is", *words]


def _told(text: str) -> list[str]:
    if re.search(r"[^A-Za-z .!-]", text) or text.isupper():
        return []
    return re.sub(r"[^A-Za-z ]", " ", text).lower().split()
