"""Random folders of modules that use one another, and the same with some of them rewritten, rightly or wrongly."""

import ast
import random

FILES = ("scale", "fees", "gate", "yard")
"""Each may use those before it; some use one after it, inside a function."""
PACKAGE = "works"
DATA = "rows.txt"
_LIBRARY = "colorsys.ONE_THIRD"
"""A constant of a library that files read, and that some set."""
_TESTS = ("a > {n}", "a == {n}", "a < {n}", "a % 2 == {n}", "a in (0, {n})")


class FolderMaker:
    """Makes the texts of one folder."""

    def __init__(self, pick: random.Random) -> None:
        self.pick = pick
        self.there: dict[str, dict[str, str]] = {}
        """For each file what stands in it: its name, and what it is."""

    def folder(self) -> dict[str, str]:
        """The texts by path; now and then of a package, which hands on some of what its modules have."""
        texts = {f"{name}.py": self.module(name) for name in FILES} | {DATA: f"{self.pick.randint(0, 3)}\n"}
        if self.pick.random() < 0.6:
            return texts
        inside = {
            f"{PACKAGE}/{path}": in_package(text, self.pick) if path != DATA else text for path, text in texts.items()
        }
        handed = [f"from .{name} import *\n" for name in FILES[:3] if self.pick.random() < 0.4]
        return {f"{PACKAGE}/__init__.py": "".join(handed), **inside}

    def module(self, name: str) -> str:
        self.there[name] = {}
        before = FILES[: FILES.index(name)]
        parts, uses = ["REGISTRY = {}\n"], list[tuple[str, str]]()
        self.there[name]["REGISTRY"] = "registry"
        for file in before:
            if self.pick.random() < 0.7:
                line, found = self.imports(file)
                parts.insert(0, line)
                uses += found
        for _ in range(self.pick.randint(2, 5)):
            made = self.pick.choice(
                (self.constant, self.function, self.function, self.function, self.kind, self.kind, self.table,
                 self.held, self.acts, self.decorated, self.beyond)
            )  # fmt: skip
            parts.append(self.in_branch(made(name, uses)))
            uses += [(n, what) for n, what in self.there[name].items() if (n, what) not in uses]
        if self.pick.random() < 0.15:
            parts.append(f"__all__ = {[n for n in self.there[name] if self.pick.random() < 0.8]}\n")
        return ast.unparse(ast.parse("".join(parts))) + "\n"

    def in_branch(self, part: str) -> str:
        """Now and then in an arm of a statement at the top, or in both."""
        inner = "    " + part.rstrip().replace("\n", "\n    ") + "\n"
        match self.pick.random():
            case way if way < 0.05:
                return f"if REGISTRY is not None:\n{inner}else:\n{inner}"
            case way if way < 0.1:
                return f"try:\n{inner}finally:\n    pass\n"
        return part

    def beyond(self, file: str, uses: list[tuple[str, str]]) -> str:
        """What data beside say, or a library that others may change."""
        way = self.pick.random()
        if way < 0.4:
            read = f"int((pathlib.Path(__file__).parent / {DATA!r}).read_text())"
            return f"import pathlib\n{self.fresh(file, 'constant')} = {read}\n"
        if way < 0.6:
            return f"import colorsys\n{_LIBRARY} = {self.value(uses)}\n"
        return f"import colorsys\ndef {self.fresh(file, 'function')}(a):\n    return {_LIBRARY} + a\n"

    def imports(self, file: str) -> tuple[str, list[tuple[str, str]]]:
        there = list(self.there[file].items())
        style = self.pick.random()
        if style < 0.35:
            return f"import {file}\n", [(f"{file}.{n}", what) for n, what in there]
        if style < 0.45:
            return f"from {file} import *\n", there
        chosen = [one for one in there if self.pick.random() < 0.6] or there[:1]
        if style < 0.6:
            return (
                f"from {file} import {', '.join(f'{n} as {n}_' for n, _ in chosen)}\n",
                [(f"{n}_", what) for n, what in chosen],
            )
        return f"from {file} import {', '.join(n for n, _ in chosen)}\n", chosen

    def fresh(self, file: str, what: str) -> str:
        name = f"{file[0]}{what[0]}{len(self.there[file])}"
        name = name.upper() if what == "constant" else name.title() if what == "kind" else name
        self.there[file][name] = what
        return name

    # --- what stands in a file -------------------------------------------------------------------

    def constant(self, file: str, uses: list[tuple[str, str]]) -> str:
        value = self.pick.choice((*map(str, range(4)), f"{self.value(uses)} + 1", f"max(1, {self.value(uses)})"))
        return f"{self.fresh(file, 'constant')} = {value}\n"

    def function(self, file: str, uses: list[tuple[str, str]]) -> str:
        body = self.body(uses)
        default = f"={self.value(uses)}" if self.pick.random() < 0.1 else ""
        return f"def {self.fresh(file, 'function')}(a{default}):\n{body}"

    def decorated(self, file: str, uses: list[tuple[str, str]]) -> str:
        elsewhere = [n for n, what in uses if what == "decorator"]
        if elsewhere and self.pick.random() < 0.5:
            return f"@{self.pick.choice(elsewhere)}\n" + self.function(file, uses)
        keeper = self.fresh(file, "decorator")
        register = self.pick.choice(("", f"    REGISTRY['{self.pick.choice((keeper, 'k'))}'] = f\n"))
        given = self.pick.choice(("f", "lambda a: f(a) + 1", f"lambda a: f(a + {self.value(uses)})"))
        made = f"def {keeper}(f):\n{register}    return {given}\n"
        return made + f"@{keeper}\n" + self.function(file, uses)

    def kind(self, file: str, uses: list[tuple[str, str]]) -> str:
        bases = [n for n, what in uses if what == "kind"]
        base = f"({self.pick.choice(bases)})" if bases and self.pick.random() < 0.5 else ""
        body = self.pick.choice(("", f"    n = {self.value(uses)}\n"))
        if self.pick.random() < 0.15:
            body += "    def __init_subclass__(cls):\n        REGISTRY['k'] = lambda a: cls().most(a)\n"
        for method in ("most", "over", "__len__"):
            if self.pick.random() < 0.5 and method != "__len__":
                call = self.pick.choice(("", "self.most(a)", "self.over(a)", "len(self)")) if base else ""
                inner = self.body(uses, call if call.partition("(")[0] != f"self.{method}" else "").replace(
                    "\n", "\n    "
                )
                body += f"    def {method}(self, a):\n    {inner.rstrip()}\n"
            elif method == "__len__" and self.pick.random() < 0.3:
                body += f"    def __len__(self):\n        return abs({self.value(uses)})\n"
        if base and self.pick.random() < 0.4:
            body += f"    def heavy(self, a):\n        return a > {self.value(uses)}\n"
        return f"class {self.fresh(file, 'kind')}{base}:\n" + (body or "    pass\n")

    def table(self, file: str, uses: list[tuple[str, str]]) -> str:
        functions = [n for n, what in uses if what == "function"]
        if functions and self.pick.random() < 0.6:
            rows = ", ".join(f"{key}: {self.pick.choice(functions)}" for key in range(3))
            return f"{self.fresh(file, 'jobs')} = {{{rows}}}\n"
        rows = ", ".join(f"{key}: {self.value(uses)}" for key in range(3))
        return f"{self.fresh(file, 'rows')} = {{{rows}}}\n"

    def held(self, file: str, uses: list[tuple[str, str]]) -> str:
        kinds = [n for n, what in uses if what == "kind"]
        return f"{self.fresh(file, 'object')} = {self.pick.choice(kinds)}()\n" if kinds else self.constant(file, uses)

    def acts(self, file: str, uses: list[tuple[str, str]]) -> str:
        """Something done to what another file holds."""
        of_modules = [n for n, what in uses if "." in n and what in ("constant", "function")]
        kinds = [n for n, what in uses if what == "kind"]
        registries = [n for n, what in uses if what == "registry"]
        functions = [n for n, what in uses if what == "function"]
        wants = [f"{n}()\n" for n, what in uses if what == "starting"]
        if of_modules:
            wants.append(f"{self.pick.choice(of_modules)} = {self.pick.choice(functions or ['abs'])}\n")
            wants.append(f"{self.pick.choice(of_modules)} = {self.value(uses)}\n")
        if kinds:
            wants.append(f"{self.pick.choice(kinds)}.n = {self.value(uses)}\n")
            wants.append(f"{self.pick.choice(kinds)}.most = lambda self, a: {self.value(uses)}\n")
        if registries:
            wants.append(f"{self.pick.choice(registries)}['k'] = {self.pick.choice(functions or ['abs'])}\n")
            wants.append(f"{self.pick.choice(registries)}.update(k={self.pick.choice(functions or ['abs'])})\n")
        if wants and self.pick.random() < 0.3:
            called = self.fresh(file, "starting")
            return f"def {called}():\n    {self.pick.choice(wants)}{called}()\n"
        return self.pick.choice(wants) if wants else self.constant(file, uses)

    # --- code ------------------------------------------------------------------------------------

    def value(self, uses: list[tuple[str, str]]) -> str:
        constants = [n for n, what in uses if what == "constant"]
        return self.pick.choice(constants) if constants and self.pick.random() < 0.6 else str(self.pick.randint(0, 3))

    def call(self, uses: list[tuple[str, str]]) -> str:
        """Something worked out by way of what else there is."""
        name, what = self.pick.choice(uses) if uses else ("", "")
        match what:
            case "function":
                return f"{name}(a - 1)" if self.pick.random() < 0.8 else f"sum(map({name}, (a, 1)))"
            case "kind":
                return self.pick.choice((f"{name}().most(a)", f"{name}().over(a)", f"{name}.n", f"len({name}())"))
            case "object":
                return self.pick.choice((f"{name}.most(a)", f"{name}.over(a)", f"{name}.n", f"len({name})"))
            case "jobs":
                return f"{name}[a % 3](a)"
            case "rows":
                return self.pick.choice((f"{name}[a % 3]", f"sum({name}.values())"))
            case "registry":
                return f"{name}['k'](a)"
            case "constant":
                return name
        return "a"

    def body(self, uses: list[tuple[str, str]], extra: str = "") -> str:
        tested = self.pick.choice(_TESTS).format(n=self.value(uses))
        ends = [self.call(uses), self.value(uses)]
        ends[self.pick.randrange(2)] += f" + {extra}" if extra else ""
        later = ""
        if self.pick.random() < 0.1:
            later = f"    import {self.pick.choice(FILES)} as other\n    b = getattr(other, 'REGISTRY', {{}})\n"
        return f"{later}    if {tested}:\n        return {ends[0]}\n    else:\n        return {ends[1]}\n"


def in_package(text: str, pick: random.Random) -> str:
    """The same module as part of a package."""
    tree = ast.parse(text)
    for n in ast.walk(tree):
        for field, block in ast.iter_fields(n):
            if isinstance(block, list):
                setattr(n, field, [_of_package(s, pick) for s in block])
    return ast.unparse(tree) + "\n"


def _of_package(s: ast.AST, pick: random.Random) -> ast.AST:
    if isinstance(s, ast.Import):
        return ast.ImportFrom(*((PACKAGE, s.names, 0) if pick.random() < 0.3 else (None, s.names, 1)))
    if isinstance(s, ast.ImportFrom) and s.module in FILES:
        return ast.ImportFrom(
            *((f"{PACKAGE}.{s.module}", s.names, 0) if pick.random() < 0.3 else (s.module, s.names, 1))
        )
    return s


def folder_rewritten(texts: dict[str, str], pick: random.Random) -> dict[str, str]:
    """Some functions the other way round, and now and then one thing that is not what it was."""
    trees = {name: ast.parse(text) for name, text in texts.items() if name.endswith(".py")}
    ifs = [n for tree in trees.values() for n in ast.walk(tree) if isinstance(n, ast.If)]
    for n in ifs:
        way = pick.random()
        if way < 0.25:
            n.test, n.body, n.orelse = ast.UnaryOp(ast.Not(), n.test), n.orelse, n.body
    for block in [n.body for tree in trees.values() for n in ast.walk(tree) if isinstance(n, ast.FunctionDef)]:
        if isinstance(block[-1], ast.If) and pick.random() < 0.3:
            block += block[-1].orelse
            block[-2].orelse = []  # type: ignore[attr-defined]
    if pick.random() < 0.3:
        _cut_test([n for tree in trees.values() for n in ast.walk(tree) if isinstance(n, ast.ClassDef)], pick)
    if pick.random() < 0.7:
        _one_thing_otherwise(list(trees.values()), pick)
    made = {name: ast.unparse(ast.fix_missing_locations(tree)) + "\n" for name, tree in trees.items()}
    data = {name: text for name, text in texts.items() if name not in made}
    if pick.random() < 0.1:
        data = {name: f"{pick.randint(0, 3)}\n" for name in data}
    return {**made, **data} if pick.random() < 0.85 else _lying_otherwise({**made, **data}, pick)


def _lying_otherwise(texts: dict[str, str], pick: random.Random) -> dict[str, str]:
    """A package takes the place of a module, a name is opened or hidden, an import stands elsewhere."""
    place = pick.choice([name for name in texts if name.endswith(".py") and not name.endswith("__init__.py")])
    tree = ast.parse(texts[place])
    match pick.randrange(3):
        case 0 if place.rpartition("/")[2].removesuffix(".py") in FILES[:3]:
            _one_thing_otherwise([tree], pick)
            inner = ast.unparse(tree).replace("from .", "from ..").replace("from .. import", "from .. import") + "\n"
            return {
                **texts,
                f"{place.removesuffix('.py')}/__init__.py": inner,
                f"{place.removesuffix('.py')}/{DATA}": "1\n",
            }
        case 1:
            named = [n.name for n in tree.body if isinstance(n, ast.FunctionDef | ast.ClassDef)]
            told = ast.parse(f"__all__ = {[n for n in named if pick.random() < 0.5]}").body
            return {**texts, place: ast.unparse(ast.Module([*tree.body, *told], [])) + "\n"}
    imports = [i for i, s in enumerate(tree.body) if isinstance(s, ast.Import | ast.ImportFrom)]
    if imports:
        tree.body.insert(pick.randrange(len(tree.body)), tree.body.pop(pick.choice(imports)))
    return {**texts, place: ast.unparse(tree) + "\n"}


def _cut_test(kinds: list[ast.ClassDef], pick: random.Random) -> None:
    """A test of a method becomes a method of its own, whatever classes below may have under that name."""
    free = [k for k in kinds if not any(getattr(s, "name", "") == "heavy" for s in k.body)]
    methods = [(k, s) for k in free for s in k.body if isinstance(s, ast.FunctionDef) and s.name in ("most", "over")]
    if methods:
        kind, method = pick.choice(methods)
        test = next(n for n in ast.walk(method) if isinstance(n, ast.If))
        made = ast.parse(f"def heavy(self, a):\n    return {ast.unparse(test.test)}").body[0]
        test.test = ast.parse("self.heavy(a)", mode="eval").body
        kind.body.append(made)


def _one_thing_otherwise(trees: list[ast.Module], pick: random.Random) -> None:
    every = [n for tree in trees for n in ast.walk(tree)]
    numbers = [n for n in every if isinstance(n, ast.Constant) and type(n.value) is int]
    statements = [tree for tree in trees if len(tree.body) > 3]
    if numbers and (pick.random() < 0.8 or not statements):
        n = pick.choice(numbers)
        n.value = (n.value + pick.choice((1, -1))) % 4  # type: ignore[operator]
        return
    if not statements:
        return
    tree = pick.choice(statements)
    at = pick.randrange(len(tree.body) - 1)
    if isinstance(tree.body[at], ast.Assign):
        tree.body.pop(at) if pick.random() < 0.3 else tree.body.append(tree.body.pop(at))
