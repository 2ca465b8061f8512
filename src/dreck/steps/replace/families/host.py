"""The object whose method a switch stands in, handed on to the methods that come out of it."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.naming.predicates import annotations
from dreck.steps.replace.families.class_text import called_otherwise
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import Scene
from dreck.steps.support.trees import Untouchable


@dataclass(frozen=True, slots=True)
class Host:
    """What `self` is called in methods of another class: after its own class; '' where they need none of it."""

    name: str
    kind: str = ""
    """What the parameter is said to be, where the others are typed, too."""

    @classmethod
    def of(cls, scene: Scene, given: Sequence[str]) -> "Host":
        """Raises Untouchable when another class has no business with what they read of it."""
        own = scene.owner
        if "self" not in given or own is None:
            return cls("")
        private = sorted({n.attr for n in walk(scene.node) if _is_private(n) and n.attr.startswith("_")})  # type: ignore[attr-defined]
        if private:
            raise Untouchable(
                f"it has a self of its own, and {private[0]} is nobody else's business; "
                "type-registry leaves the arms where they are"
            )
        taken = scene.all_words()
        stem = "_".join(words_of(own.name)) or "owner"
        name = next((n for n in (stem, f"the_{stem}", "owner", "caller") if n not in taken), "")
        if not name:
            raise Untouchable(f"it has a self of its own, and no free name for it was found: {stem} is taken")
        return cls(name, f'"{own.name}"' if annotations(scene) else "")

    def told(self, body: Sequence[str]) -> list[str]:
        """Lines of the method as they read where `self` is another object."""
        return [called_otherwise(line, "self", self.name) for line in body] if self.name else list(body)

    def parameters(self, given: Sequence[str]) -> list[str]:
        told = f"{self.name}: {self.kind}" if self.kind else self.name
        return [told if g == "self" else g for g in given] if self.name else list(given)


def _is_private(n: ast.AST) -> bool:
    return isinstance(n, ast.Attribute) and isinstance(n.value, ast.Name) and n.value.id == "self"
