"""In what two shapes differ; asked where nothing is executed, and so without what executing wants."""

from collections.abc import Iterator

ABOVE = "the list of classes above"
METACLASS = "its metaclass"
_LONGEST = 80
_BEFORE = 25

Parts = dict[str, str | None]
"""What a class or a value is, part by part, in texts; None where nobody can tell."""


def differences(old: Parts, new: Parts, written_alike: frozenset[str]) -> Iterator[str]:
    """In which parts two shapes differ, as one reads it; what the new one has more as plain attributes is no
    difference. Of what is `written_alike` nobody need tell."""
    for part in sorted(old.keys() | new.keys()):
        if part not in new:
            yield f"{part} is in the old version only"
        elif part not in old:
            if not part.startswith("the attribute") or "`__getattr__`" in old:
                yield f"{part} is in the new version only"
        elif old[part] is None or new[part] is None:
            if part.partition("`")[2].partition("`")[0] in written_alike:
                continue
            yield f"nobody can tell whether {part} is the same"
        elif old[part] != new[part] and not _is_harmless(part, old[part], new[part]):
            was, now = _where_they_part(old[part] or "nothing", new[part] or "nothing")
            yield f"{part} was {was}, is {now}"


def _where_they_part(one: str, other: str) -> tuple[str, str]:
    """Both texts, of long ones what stands where they part."""
    same = next((i for i, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
    begin = max(0, same - _BEFORE) if max(len(one), len(other)) > _LONGEST else 0

    def shown(text: str) -> str:
        part = text[begin : begin + _LONGEST]
        return f"{'...' if begin else ''}{part}{'...' if begin + _LONGEST < len(text) else ''}"

    return shown(one), shown(other)


def _is_harmless(part: str, old: str | None, new: str | None) -> bool:
    """Whether classes have come between those that were above, in their order; such as may have abstract methods."""
    if part == METACLASS:
        return (old, new) == ("builtins.type", "abc.ABCMeta")
    later = iter((new or "").split(", "))
    return part == ABOVE and all(kind in later for kind in (old or "").split(", "))
