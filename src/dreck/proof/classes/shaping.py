"""What gives classes attributes that stand in no class body: calls that make classes, metaclasses, names worked out.

Language reference, 3.3.3 ("Customizing class creation"): a class is what its metaclass makes of the names of its body;
`setattr` on a class under a name that nobody can read may give it any attribute, special methods among them.
"""

import ast
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.model.names.reaching import hands_setting_on, opens_a_module
from dreck.model.names.scopes import param_names
from dreck.proof.classes.say.hidden import class_calls, hands_makers_on, metaclasses_of
from dreck.proof.classes.say.quiet import is_quiet_value
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

ANYTHING = "*"
_OF_CLASSES = frozenset({"__init_subclass__", "__set_name__", "__new__", "__class_getitem__", "__prepare__"})
_LEADING_THERE = frozenset({"__class__", "__subclasses__", "__mro__", "__bases__", "__base__", "mro"})
_SETTING = frozenset({"setattr", "delattr", "__setattr__", "__delattr__"})
_KEEPING = frozenset(
    {"modules", "__annotations__", "get_type_hints", "get_annotations", "signature", "__defaults__", "__kwdefaults__"}
    | {"__closure__", "__globals__", "__code__", "__wrapped__"}
)
_GIVING_NAMES = frozenset(
    {"globals", "vars", "locals", "getmembers", "getmodule", "import_module", "__import__", "getattr"}
)
_LOOKED_AT = frozenset({"get", "items", "keys", "values", "copy"})


@lru_cache(maxsize=16)
def shaped(names: ModuleNames) -> frozenset[str]:
    """The attributes that classes of the files get so, `*` for any: of those that may do more when they are read."""
    trees = (names.tree, *names.trees, *names.others)
    nodes = [n for tree in trees for n in every_node(tree)]
    if any(map(hands_setting_on, trees)) or any(map(_runs_anything, nodes)):
        return frozenset({ANYTHING})
    if _sets_by_another(nodes) or hands_makers_on(names) or any(map(_answers_itself, trees)):
        return frozenset({ANYTHING})
    found = {name for call in class_calls(names) for name in _handed_in(call, names)}
    made = metaclasses_of(names)
    kinds = [n for n in nodes if isinstance(n, ast.ClassDef)]
    if any(_changes_bodies(s) for kind in kinds if kind.name in made for s in kind.body):
        return frozenset({ANYTHING})
    within = {n for kind in kinds if kind.name in made for n in walk(kind)}
    if any(n not in within and _makes_by_new(n, made) for n in nodes):
        return frozenset({ANYTHING})
    setting = [n for n in nodes if isinstance(n, ast.Call) and _word(n.func) in _SETTING]
    around = _Around.of(names, nodes, made) if setting else None
    return frozenset(found.union(*(_set_by(n, around, names) for n in setting if around is not None)))


def _runs_anything(n: ast.AST) -> bool:
    match n:
        case ast.Name(id="exec" | "eval"):
            return True
        case ast.Attribute(value=ast.Name(id="builtins" | "__builtins__"), attr="exec" | "eval"):
            return True
    return False


def _sets_by_another(nodes: list[ast.AST]) -> bool:
    """Whether `type.__setattr__` or its like gets another name; that of `object` is for objects."""
    called = {n.func for n in nodes if isinstance(n, ast.Call)}
    loose = (n for n in nodes if isinstance(n, ast.Attribute) and n.attr in _SETTING and n not in called)
    return any(_word(n.value) != "object" for n in loose)


def _makes_by_new(n: ast.AST, metaclasses: frozenset[str]) -> bool:
    """`type.__new__(kind, name, bases, names)`."""
    match n:
        case ast.Call(func=ast.Attribute(value=maker, attr="__new__" | "__call__"), args=[_, _, _, _, *_]):
            return _word(maker) in metaclasses | {"type", "ABCMeta", "EnumMeta", "EnumType"}
    return False


@lru_cache(maxsize=256)
def module_answers(names: ModuleNames, name: str) -> bool:
    """Whether a file beside this one answers itself when it is asked for a name that it does not bind."""
    bound = ({n for s in statements_of(tree.body) for n in bound_by(s)} for tree in (*names.trees, *names.others))
    return any("__getattr__" in own and name not in own for own in bound)


def _answers_itself(tree: ast.Module) -> bool:
    """Whether a module is asked for names that it does not have (`__getattr__`), and gets at modules as objects."""
    said = any("__getattr__" in bound_by(s) for s in statements_of(tree.body))
    return said and any(
        opens_a_module(n) or getattr(n, "attr", "") == "modules" or _may_be_itself(n) for n in every_node(tree)
    )


def _may_be_itself(n: ast.AST) -> bool:
    return isinstance(n, ast.Import) and any(a.name.partition(".")[0] not in sys.stdlib_module_names for a in n.names)


def _handed_in(call: ast.Call, names: ModuleNames) -> Iterator[str]:
    """What the names may do that a class is made with."""
    word = call.func.attr if isinstance(call.func, ast.Attribute) else getattr(call.func, "id", "")
    told = {k.arg: k.value for k in call.keywords}
    given: ast.expr | None = call.args[2] if len(call.args) > 2 else told.get("dict")
    if word == "make_dataclass":
        given = told.get("namespace")
        if given is None and None not in told:
            return
    if word == "new_class":
        if len(call.args) > 3 or "exec_body" in told or None in told:
            yield ANYTHING
        return
    match given:
        case ast.Dict(keys=keys, values=values) if all(isinstance(k, ast.Constant) for k in keys):
            pairs = [(str(k.value), v) for k, v in zip(keys, values, strict=True) if isinstance(k, ast.Constant)]
        case ast.Call(func=ast.Name(id="dict"), args=[], keywords=options) if all(k.arg for k in options):
            pairs = [(str(k.arg), k.value) for k in options]
        case _:
            yield ANYTHING
            return
    yield from (name for name, value in pairs if _is_special(name) or not is_quiet_value(value, names))


def _is_special(name: str) -> bool:
    return name.startswith("__") and name.endswith("__") and name not in ("__doc__", "__module__", "__qualname__")


def _changes_bodies(s: ast.stmt) -> bool:
    """Whether a method of a metaclass does more with the names of a body than to look at them and hand them on."""
    if not isinstance(s, ast.FunctionDef):
        return False
    if s.name == "__prepare__":
        return True
    if s.name not in ("__new__", "__init__", "__call__"):
        return False
    spec = s.args
    body = {a.arg for a in [*spec.posonlyargs, *spec.args][3:4]} | ({spec.vararg.arg} if spec.vararg else set())
    fine: set[ast.AST] = set()
    for n in walk(s):
        match n:
            case ast.Call(func=ast.Attribute(attr="__new__" | "__call__"), args=[_, _, _, other, *_]) if (
                getattr(other, "id", "*") not in body
            ):
                return True  # made of other names
            case ast.Call(func=ast.Attribute(attr="__new__" | "__init__" | "__call__"), args=args):
                fine |= {a.value if isinstance(a, ast.Starred) else a for a in args}
            case ast.Call(func=ast.Attribute(value=looked, attr=word)) if word in _LOOKED_AT:
                fine.add(looked)
            case ast.Subscript(value=looked, ctx=ast.Load()) | ast.Compare(comparators=[looked]):
                fine.add(looked)
    return any(isinstance(n, ast.Name) and n.id in body and n not in fine for n in walk(s))


def _set_by(call: ast.Call, around: "_Around", names: ModuleNames) -> set[str]:
    """The attributes that a call of `setattr` and its like gives what may be a class."""
    word = call.func.attr if isinstance(call.func, ast.Attribute) else getattr(call.func, "id", "")
    if word not in _SETTING:
        return set()
    args = call.args
    if isinstance(call.func, ast.Attribute) and word.startswith("__") and len(args) < 3 - ("del" in word):
        args = [call.func.value, *args]
    of, told = args[0] if args else call, args[1] if len(args) > 1 else None
    if isinstance(told, ast.Constant) and (isinstance(call.func, ast.Name) or "del" in word):
        return set()  # these are read where they stand
    if not around.may_be_class(of, call):
        return set()
    if isinstance(told, ast.Constant) and not any(isinstance(a, ast.Starred) for a in args):
        return set() if is_quiet_value(args[-1], names) else {str(told.value)}
    return {ANYTHING}


@dataclass(frozen=True, slots=True)
class _Around:
    """Where a call stands: in which functions and class, and which functions get classes."""

    names: ModuleNames
    functions: dict[ast.AST, tuple[FunctionNode, ...]]
    owners: dict[ast.AST, ast.ClassDef]
    kinds: frozenset[str]
    metaclasses: frozenset[str]
    hands_classes_on: bool
    """Whether a class of the files is a value anywhere: handed on, kept, decorated by a function of theirs."""
    bare: frozenset[str]
    """Functions that are named without being called: `opened = classmethod(opened)`."""
    of_classes: frozenset[str]
    """Methods that are asked of a class by its name: `Load.open(Load)`."""

    @classmethod
    def of(cls, names: ModuleNames, nodes: list[ast.AST], metaclasses: frozenset[str]) -> "_Around":
        kinds = frozenset(n.name for n in nodes if isinstance(n, ast.ClassDef)) | {"cls", "__class__"}
        kinds |= {name for n in nodes if isinstance(n, FunctionNode) for name in _given_a_class(n)}
        functions: dict[ast.AST, tuple[FunctionNode, ...]] = {}
        setting = [n for n in nodes if isinstance(n, ast.Call) and _word(n.func) in _SETTING]
        if setting:
            for f in (n for n in nodes if isinstance(n, FunctionNode)):
                inside = {n for n in walk(f) if isinstance(n, ast.Call)}
                functions |= {call: (*functions.get(call, ()), f) for call in setting if call in inside}
        owners: dict[ast.AST, ast.ClassDef] = {}
        owners |= {s: n for n in nodes if isinstance(n, ast.ClassDef) for s in n.body if isinstance(s, FunctionNode)}
        given = any(map(_comes_to_classes, nodes)) or _hands_on(nodes, kinds)
        decorators = [d for n in nodes if isinstance(n, ast.ClassDef) for d in n.decorator_list]
        given = given or not all(_is_from_elsewhere(d, names, nodes) for d in decorators)
        called = {n.func for n in nodes if isinstance(n, ast.Call)}
        bare = frozenset(n.id for n in nodes if isinstance(n, ast.Name) and n not in called)
        asked = frozenset(n.attr for n in nodes if isinstance(n, ast.Attribute) and _is_class(n.value, kinds))
        return cls(names, functions, owners, kinds, metaclasses, given, bare, asked)

    def may_be_class(self, of: ast.expr, call: ast.Call) -> bool:
        around = self.functions.get(call, ())
        root = of
        while isinstance(root, ast.Attribute | ast.Subscript):
            if _word(root) in _LEADING_THERE:
                return True
            root = root.value
        if _is_class(root, self.kinds):
            return True
        word = "super" if isinstance(root, ast.Call) and _word(root.func) == "super" else getattr(root, "id", "")
        if not around:
            return not self.names.is_imported(word)
        methods = [f for f in around if f in self.owners]
        if methods and (self.metaclasses or any(f.name in _OF_CLASSES | self.bare for f in methods)):
            return True
        if any(_word(d) == "classmethod" for f in methods for d in f.decorator_list):
            return True
        of_its_own = of is root and any(self._is_its_object(f, word, around) for f in methods)
        return self.hands_classes_on and not of_its_own

    def _is_its_object(self, method: FunctionNode, word: str, around: tuple[FunctionNode, ...]) -> bool:
        """Whether a name in a method surely is the object it was called on: nothing else is bound to it."""
        first = [a.arg for a in [*method.args.posonlyargs, *method.args.args][:1]]
        if word not in (*first, "super") or method.name in self.of_classes or not _is_plain(method):
            return False
        inner = [f for f in around if f is not method]
        anew = any(isinstance(n, ast.Name) and n.id == word and not isinstance(n.ctx, ast.Load) for n in walk(method))
        return not anew and not any(word in param_names(f.args) for f in inner)


def _given_a_class(function: FunctionNode) -> Iterator[str]:
    """The parameter under which a function gets a class from Python itself."""
    names = [a.arg for a in [*function.args.posonlyargs, *function.args.args]]
    at = {"__set_name__": 1, "__get__": 2}.get(function.name, 0)
    decorated = any(_word(d) == "classmethod" for d in function.decorator_list)
    if decorated or at or function.name in _OF_CLASSES:
        yield from names[at : at + 1]


def _is_plain(method: FunctionNode) -> bool:
    told = {_word(d) for d in method.decorator_list}
    return told <= {"property", "setter", "deleter", "abstractmethod", "override"}


def _is_from_elsewhere(decorator: ast.expr, names: ModuleNames, nodes: list[ast.AST]) -> bool:
    """Whether a class is decorated by something that is imported, and no function or class of the files."""
    called = decorator.func if isinstance(decorator, ast.Call) else decorator
    root = called
    while isinstance(root, ast.Attribute):
        root = root.value
    own = {n.name for n in nodes if isinstance(n, FunctionNode | ast.ClassDef)}
    return isinstance(root, ast.Name) and names.is_imported(root.id) and not {_word(called), root.id} & own


def _comes_to_classes(n: ast.AST) -> bool:
    """What gives names or objects of a module without naming them."""
    match n:
        case ast.Call(func=ast.Name(id="getattr"), args=[_, ast.Constant(), *_]):
            return False
        case ast.Call(func=called):
            return _word(called) in _GIVING_NAMES
        case ast.Attribute(attr=word) | ast.Name(id=word):
            return word in _LEADING_THERE - {"__class__"} | _KEEPING
    return False


def _hands_on(nodes: list[ast.AST], kinds: frozenset[str]) -> bool:
    """Whether a class of the files stands anywhere but where it is called, asked for, derived from or caught."""
    plain: set[ast.AST] = set()
    for n in nodes:
        match n:
            case ast.Call(func=ast.Name(id="isinstance" | "issubclass"), args=[_, asked]):
                plain |= {n.func, *every_node(asked)}
            case ast.Call(func=ast.Name(id="super"), args=args):
                plain |= {n.func, *args}
            case ast.Call(func=called):
                plain.add(called)
            case ast.Attribute(value=of):
                plain.add(of)
            case ast.ClassDef(bases=bases):
                plain |= set(bases)
            case ast.ExceptHandler(type=ast.expr() as caught):
                plain |= set(every_node(caught))
            case ast.Raise(exc=ast.expr() as raised):
                plain.add(raised)
            case ast.MatchClass(cls=asked):
                plain.add(asked)
            case ast.Compare(left=left, ops=ops, comparators=others):
                plain |= set() if any(isinstance(op, ast.In | ast.NotIn) for op in ops) else {left, *others}
            case ast.arg(annotation=ast.expr() as noted) | ast.AnnAssign(annotation=noted):
                plain |= set(every_node(noted))
            case ast.FunctionDef(returns=ast.expr() as noted) | ast.AsyncFunctionDef(returns=ast.expr() as noted):
                plain |= set(every_node(noted))
    loose = (n for n in nodes if isinstance(n, ast.Name | ast.Attribute | ast.Call) and n not in plain)
    return any(isinstance(getattr(n, "ctx", None), ast.Load | None) and _is_class(n, kinds) for n in loose)


def _word(e: ast.AST) -> str:
    return e.attr if isinstance(e, ast.Attribute) else getattr(e, "id", "")


def _is_class(e: ast.AST, kinds: frozenset[str]) -> bool:
    """Whether an expression is a class of the files, or asks something for its class."""
    match e:
        case ast.Name(id=name):
            return name in kinds
        case ast.Attribute(attr=word):
            return word in _LEADING_THERE or word in kinds
        case ast.Call(func=ast.Name(id="type"), args=[_]):
            return True
        case ast.Call(func=ast.Attribute(attr=word)):
            return word in _LEADING_THERE
        case ast.Tuple(elts=parts) | ast.List(elts=parts) | ast.Set(elts=parts):
            return any(_is_class(part, kinds) for part in parts)
        case ast.Dict(keys=keys, values=values):
            return any(_is_class(part, kinds) for part in (*keys, *values) if part is not None)
        case ast.Starred(value=inner):
            return _is_class(inner, kinds)
    return False
