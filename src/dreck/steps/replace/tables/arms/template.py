"""What all arms of a chain do alike, with the values in which they differ left out."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from dreck.source.copying import copied
from dreck.source.walking import walk
from dreck.steps.naming.predicates import locals_read
from dreck.steps.replace.tables.arms.outcomes import is_fixed
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import Scene

_LEAST = 2
"""So many nodes more than its values an arm has, that it is worth being written once."""


@dataclass(slots=True)
class Hole:
    """Values, one for each arm, and the places in the first arm where they stand; `text`: a part of an f-string."""

    values: list[ast.expr]
    places: list[ast.expr]
    word: str
    text: bool = False
    before: str = ""
    behind: str = ""
    """What stays of the text of an f-string around it, when that is the same in all arms."""


@dataclass(slots=True)
class Template:
    """The first arm, and the holes in it; f-strings with holes are written anew, `written` by the old."""

    body: list[ast.stmt]
    holes: list[Hole] = field(default_factory=list)
    written: list[tuple[ast.JoinedStr, list[tuple[int, Hole]]]] = field(default_factory=list)


def template_of(scene: Scene, bodies: Sequence[list[ast.stmt]], least: int = _LEAST) -> Template | None:
    """What the bodies have in common, when they differ in values alone that may be worked out beforehand, and have
    `least` nodes more than these."""
    if len({len(body) for body in bodies}) != 1:
        return None
    found = Template(list(bodies[0]))
    if not _Reading(scene, found).alike(list(bodies), "") or not found.holes:
        return None
    inside = {id(n) for hole in found.holes for place in hole.places for n in walk(place)}
    left = [n for s in bodies[0] for n in walk(s) if id(n) not in inside and isinstance(n, ast.stmt | ast.expr)]
    return found if len(left) >= least else None


@dataclass(slots=True)
class _Reading:
    scene: Scene
    found: Template

    def alike(self, nodes: Sequence[object], word: str) -> bool:
        """Whether parts of all arms are the same but for values; these become holes, called after where they stand."""
        first = nodes[0]
        if isinstance(first, list):
            if len({len(n) if isinstance(n, list) else -1 for n in nodes}) != 1:
                return False
            return all(self.alike(several, word) for several in zip(*nodes, strict=True))
        if not isinstance(first, ast.AST):
            return all(type(n) is type(first) and n == first for n in nodes)
        if len({ast.dump(n) for n in nodes if isinstance(n, ast.AST)}) == 1:
            return True
        if all(isinstance(n, ast.expr) and self._is_known(n) for n in nodes):
            return self._put([n for n in nodes if isinstance(n, ast.expr)], word)
        if len({type(n) for n in nodes}) != 1 or isinstance(first, ast.FormattedValue | ast.Name | ast.Constant):
            return False
        if isinstance(first, ast.JoinedStr):
            return self._texts([n for n in nodes if isinstance(n, ast.JoinedStr)])
        if isinstance(first, _SHUT):
            return False
        return all(
            self.alike([getattr(n, name) for n in nodes], _word(first, name) or word)
            for name, _ in ast.iter_fields(first)
        )

    def _is_known(self, e: ast.expr) -> bool:
        """Whether a value may be worked out when the module is made: also of another module, and what is imported."""
        if is_fixed(self.scene, e):
            return True
        names = self.scene.names
        match e:
            case ast.Name(id=name):
                known = names.is_imported(name) or names.is_builtin(name)
                return name[:1].isupper() and known and not locals_read(self.scene, e)
            case ast.Tuple(elts=elts):
                return all(map(self._is_known, elts))
        return False

    def _put(self, values: list[ast.expr], word: str) -> bool:
        told = [ast.dump(v) for v in values]
        same = next((h for h in self.found.holes if [ast.dump(v) for v in h.values] == told and not h.text), None)
        if same is not None:
            same.places.append(values[0])
        else:
            self.found.holes.append(Hole(values, [values[0]], word))
        return True

    def _texts(self, nodes: list[ast.JoinedStr]) -> bool:
        """f-strings that differ in the text between their values."""
        if len({tuple(type(v) for v in n.values) for n in nodes}) != 1:
            return False
        holes: list[tuple[int, Hole]] = []
        for at, parts in enumerate(zip(*(n.values for n in nodes), strict=True)):
            if len({ast.dump(p) for p in parts}) == 1:
                continue
            texts = [p.value for p in parts if isinstance(p, ast.Constant) and isinstance(p.value, str)]
            if len(texts) < len(parts):
                return False
            hole = _text_hole(texts, nodes[0])
            self.found.holes.append(hole)
            holes.append((at, hole))
        self.found.written.append((nodes[0], holes))
        return True


def _text_hole(texts: list[str], place: ast.expr) -> Hole:
    """The words in which texts differ; blanks and signs that all have around them stay where they are."""
    size = min(map(len, texts))
    head = next((n for n in range(size) if len({t[n] for t in texts}) > 1 or texts[0][n].isalnum()), 0)
    tail = next((n for n in range(size - head) if len({t[-n - 1] for t in texts}) > 1 or texts[0][-n - 1].isalnum()), 0)
    cut = [t[head : len(t) - tail] for t in texts]
    values: list[ast.expr] = [ast.Constant(t) for t in cut]
    return Hole(values, [place], "message", True, texts[0][:head], texts[0][len(texts[0]) - tail :] if tail else "")


_SHUT = (ast.Lambda, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.ListComp, ast.SetComp, ast.DictComp,
         ast.GeneratorExp, ast.NamedExpr, ast.Await, ast.Yield, ast.YieldFrom, ast.Import, ast.ImportFrom, ast.Global,
         ast.Nonlocal, ast.Try, ast.Match)  # fmt: skip


def _word(node: ast.AST, part: str) -> str:
    """What a value is called by where it stands: what it is assigned to, its keyword, an error that is raised."""
    match node, part:
        case ast.Assign(targets=[target]), "value":
            return _last(target)
        case ast.AugAssign(target=target), "value":
            return _last(target)
        case ast.keyword(arg=str() as name), "value":
            return name
        case ast.Raise(), "exc":
            return "error"
        case ast.Call(), "args":
            return (
                "message"
                if isinstance(node, ast.Call) and _last(node.func).endswith(("error", "exception"))
                else "value"
            )
        case ast.Subscript(), "slice":
            return "key"
    return ""


def _last(e: ast.expr) -> str:
    match e:
        case ast.Attribute(attr=name) | ast.Name(id=name):
            return "_".join(words_of(name))
        case ast.Subscript(slice=ast.Constant(value=str() as key)) if key.isidentifier():
            return key
    return ""


def f_string(node: ast.JoinedStr, holes: list[tuple[int, Hole]], words: dict[int, str]) -> str:
    """The code of an f-string in which the holes are names."""
    made = copied(node)
    parts: list[ast.expr] = list(made.values)
    for at, hole in sorted(holes, key=lambda pair: -pair[0]):
        around = [ast.Constant(t) for t in (hole.before, hole.behind)]
        value = ast.FormattedValue(ast.Name(words[id(hole)], ast.Load()), -1, None)
        parts[at : at + 1] = [p for p in (around[0], value, around[1]) if not isinstance(p, ast.Constant) or p.value]
    made.values = parts
    code = ast.unparse(made)
    plain = code.startswith("f'") and '"' not in code and "\\" not in code
    return f'f"{code[2:-1]}"' if plain else code


def each_place(found: Template) -> Iterator[tuple[ast.expr, Hole]]:
    """The places in the first arm that a name comes to, those in f-strings left out."""
    for hole in found.holes:
        if not hole.text:
            yield from ((place, hole) for place in hole.places)
