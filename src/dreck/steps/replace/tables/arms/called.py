"""What a table is called after: what is chosen, and by what."""

import re

from dreck.steps.replace.tables.arms.actions import deed_of
from dreck.steps.replace.tables.arms.amounts import GENERAL
from dreck.steps.support.chains import Chain
from dreck.steps.support.names.agents import agent_of
from dreck.steps.support.names.short_names import asked_words
from dreck.steps.support.names.table_names import three_of
from dreck.steps.support.names.vocabulary import DEEDS, IDLE, MAKING
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import Scene

_SHORTEST = 3


def words_for_table(
    scene: Scene, chain: Chain, targets: tuple[str, ...], amount: str, works_out: bool = False
) -> list[str]:
    """`LINE_BY_KIND`: what is chosen, by what; `FEE_FACTOR_BY_KIND`: what it is worked out with; `PARSER_BY_KIND`: what
    works it out."""
    subject = asked_words(scene.node, chain.subjects)
    named = [words_of(re.findall(r"\w+", target)[-1]) for target in targets] or [[]]
    shared = named[0] if len(named) == 1 else named[0][-1:] if len({tuple(n[-1:]) for n in named}) == 1 else []
    if (
        not shared
        and len(named) == 2
        and all(len(n) == 1 and len(n[0]) > _SHORTEST and n[0] not in GENERAL for n in named)
    ):
        shared = [*named[0], "and", *named[1]]
    if len("_".join(shared)) < _SHORTEST:
        shared = (agent_of(deed_of(scene.node.name)) if works_out else []) or given_by(scene)
    if shared == subject and all("." in target for target in targets):
        return ["next", *shared]  # it goes on from state to state
    if shared == subject:
        shared = given_by(scene) or shared  # it takes the place of what it is looked up by
    chosen = three_of(["next", *shared] if len(subject) > len(shared) and _is_among(shared, subject) else shared)
    chosen = words_of(amount) if amount and amount not in GENERAL else [*chosen, *words_of(amount)]
    if not any(len(w) >= _SHORTEST for w in chosen):
        return []
    if any(len(w) < _SHORTEST for w in subject):
        return [*chosen, "table"]  # an abbreviation is no word
    return [*chosen, "by", *subject] if subject and not set(subject) <= set(chosen) else [*chosen, "table"]


def _is_among(words: list[str], subject: list[str]) -> bool:
    """Whether what is chosen is one of those that it is chosen by: a state by the state before and what happens."""
    return bool(words) and f" {' '.join(words)} and " in f" {' '.join(subject)} and "


def given_by(scene: Scene) -> list[str]:
    """What a function gives, by its name: `fee` of `get_fee`, `settings` of `guess_settings`."""
    if scene.node.name.startswith("__") and scene.node.name.endswith("__"):
        return []  # Python gave it that name, not what it does here
    words = words_of(scene.node.name.strip("_"))
    first = next((at for at, word in enumerate(words) if word not in MAKING), 0)
    given = words[first:]
    return given if any(len(word) >= _SHORTEST for word in given) else words


def answer_word(scene: Scene) -> str:
    """What one answer of a function is called: by what it gives, where its name says so. What follows another verb may
    be what it is given (`parse_entry`), or anything."""
    words = words_of(scene.node.name.strip("_"))
    says = len(words) == 1 or words[0] in _GIVING or words[-1] in ("of", "for")
    given = [w for w in three_of(given_by(scene)) if w not in ("of", "for")]
    return given[-1] if says and given and given[-1] not in MAKING | DEEDS | IDLE else "answer"


_GIVING = frozenset(
    {"get", "find", "make", "create", "build", "compute", "calculate", "calc", "determine", "guess", "choose", "pick",
     "select", "generate", "infer", "next", "first", "last", "best", "which", "what", "look", "detect"}
)  # fmt: skip
