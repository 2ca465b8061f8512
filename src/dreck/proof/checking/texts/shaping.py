"""Attributes that classes get beside their bodies, looked for once more: by the texts, and unknown where in doubt."""

import ast
import sys
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.checking.texts.nested import hands_on
from dreck.source.walking import walk

_SETS = frozenset({"setattr", "delattr", "__setattr__", "__delattr__"})
_RUNS = frozenset({"exec", "eval"})
_MAKES = frozenset({"type", "new_class", "make_dataclass"})
_MADE_BY = frozenset({"type", "ABCMeta", "EnumMeta", "EnumType"})
_HARMLESS = (ast.Constant, ast.Lambda)
_ASKS = frozenset({"isinstance", "issubclass"})
_KIN = frozenset({"__class__", "__subclasses__", "__mro__", "__bases__", "__base__", "mro"})
_KEPT = frozenset(
    {"modules", "__annotations__", "get_type_hints", "get_annotations", "signature", "__defaults__", "__kwdefaults__"}
    | {"__closure__", "__globals__", "__code__", "__wrapped__"}
)
_HOOKS = frozenset({"__init_subclass__", "__set_name__", "__new__", "__class_getitem__", "__prepare__"})
_Function = ast.FunctionDef | ast.AsyncFunctionDef
_Inside = tuple[tuple[_Function, ast.ClassDef | None], ...]


def may_get(names: ModuleNames, name: str) -> bool:
    """Whether a class may get an attribute of that name, one that does more when it is read, beside its body."""
    found = names_given(names)
    return found is None or name in found


@lru_cache(maxsize=16)
def names_given(names: ModuleNames) -> frozenset[str] | None:
    """The names of the attributes that classes may get beside their bodies; None where nobody can read them all."""
    nodes = [n for tree in (names.tree, *names.trees, *names.others) for n in every_node(tree)]
    if any(_runs(n) for n in nodes) or _is_handed_on(nodes):
        return None
    if any(map(_answers_for_names, (names.tree, *names.trees, *names.others))):
        return None
    makers = _makers(nodes)
    if any(hands_on(nodes, word) for word in ("type", *sorted(makers))):
        return None
    if any(isinstance(n, ast.ClassDef) and n.name in makers and _rewrites(n) for n in nodes):
        return None
    within = {id(n) for c in nodes if isinstance(c, ast.ClassDef) and c.name in makers for n in walk(c)}
    if any(isinstance(n, ast.Call) and id(n) not in within and _makes_anew(n, makers) for n in nodes):
        return None
    found = set[str]()
    for n in nodes:
        if not isinstance(n, ast.Call) or not _makes(n, makers):
            continue
        told = _told_in(n)
        if told is None:
            return None
        found |= told
    scopes = _scopes(names)
    for n, inside in scopes:
        by_name = isinstance(n.func, ast.Attribute) and _word(n.func.value) == "object"
        of_object = by_name and names.is_builtin("object")  # it refuses classes
        if _word(n.func) in _SETS and not of_object and _sets_on_a_class(n, inside, nodes, makers, names):
            return None
    return frozenset(found)


@lru_cache(maxsize=256)
def answers_by_itself(names: ModuleNames, name: str) -> bool:
    """Whether a file beside has a `__getattr__` of its own, and nothing that is called `name`."""
    every = [_called_at_the_top(tree) for tree in (*names.trees, *names.others)]
    return any("__getattr__" in called and name not in called for called in every)


def _answers_for_names(tree: ast.Module) -> bool:
    """Whether the module has a `__getattr__`, outside of all classes and functions, and may come to itself."""
    return "__getattr__" in _called_at_the_top(tree) and any(_comes_to_a_module(n) for n in every_node(tree))


@once_per_tree
def _called_at_the_top(tree: ast.Module) -> set[str]:
    pending: list[ast.AST] = list(tree.body)
    found = set[str]()
    while pending:
        n = pending.pop()
        found |= {getattr(n, "name", None) or "", getattr(n, "asname", None) or ""}
        found |= {n.id} if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load) else set()
        if not isinstance(n, _Function | ast.ClassDef | ast.Lambda):
            pending += ast.iter_child_nodes(n)
    return found


def _comes_to_a_module(n: ast.AST) -> bool:
    if isinstance(n, ast.Import):
        return not all(a.name.split(".")[0] in sys.stdlib_module_names for a in n.names)
    opening = {"modules", "import_module", "__import__", "getmodule", "resolve_name", "run_module", "run_path"}
    return bool(opening & {_word(n), getattr(n, "name", ""), getattr(n, "value", "") if _is_text(n) else ""})


def _is_text(n: ast.AST) -> bool:
    return isinstance(n, ast.Constant) and isinstance(n.value, str)


def _is_handed_on(nodes: list[ast.AST]) -> bool:
    """Whether `setattr` stands where it is not called."""
    met = {id(n.func) for n in nodes if isinstance(n, ast.Call)} | {id(t) for t in _kept_as_items(nodes)}
    loose = [n for n in nodes if isinstance(n, ast.Name | ast.Attribute) and id(n) not in met]
    return any(_word(n) in _SETS and (isinstance(n, ast.Name) or _word(n.value) != "object") for n in loose)


def _kept_as_items(nodes: list[ast.AST]) -> list[ast.expr]:
    """`__setattr__ = dict.__setitem__` in the body of a class: what is set on its objects goes into them as a dict."""
    for n in nodes:
        bound = getattr(n, "name", None), getattr(n, "asname", None), getattr(n, "arg", None), getattr(n, "rest", None)
        stored = isinstance(n, ast.Name) and n.id == "dict" and not isinstance(n.ctx, ast.Load)
        if "dict" in bound or "*" in bound or stored:
            return []  # it may be another `dict`
    body = [s for n in nodes if isinstance(n, ast.ClassDef) for s in n.body if isinstance(s, ast.Assign)]
    return [
        t for s in body if _is_of_dicts(s.value) for t in s.targets if getattr(t, "id", "") == _ITEMS[_word(s.value)]
    ]


_ITEMS = {"__setitem__": "__setattr__", "__delitem__": "__delattr__"}


def _is_of_dicts(e: ast.expr) -> bool:
    return isinstance(e, ast.Attribute) and _word(e.value) == "dict" and e.attr in _ITEMS


def _runs(n: ast.AST) -> bool:
    of_python = isinstance(n, ast.Attribute) and _word(n.value) in ("builtins", "__builtins__")
    return _word(n) in _RUNS and (isinstance(n, ast.Name) or of_python)


def _makers(nodes: list[ast.AST]) -> set[str]:
    """Classes that make classes, those whose base only sounds like one among them."""
    classes = [n for n in nodes if isinstance(n, ast.ClassDef)]
    own, found = {n.name for n in classes}, set[str]()
    for _ in classes:
        more = {n.name for n in classes for b in n.bases if _is_maker(_word(_whole(b)), own, found)}
        if more <= found:
            break
        found |= more
    return found


def _whole(base: ast.expr) -> ast.expr:
    """`Bin` of `Bin[str]`: what is generic makes what it makes, whatever for."""
    return base.value if isinstance(base, ast.Subscript) else base


def _is_maker(base: str, own: set[str], found: set[str]) -> bool:
    sounds = base.lower().endswith(("meta", "metaclass", "type")) and base not in own
    return base in _MADE_BY or base in found or sounds or not base


def _makes_anew(n: ast.Call, makers: set[str]) -> bool:
    """`type.__new__(kind, name, bases, names)`, outside of what a metaclass does with the body it is given."""
    if not isinstance(n.func, ast.Attribute) or n.func.attr not in ("__new__", "__call__") or len(n.args) < 4:
        return False
    return _word(n.func.value) in {*makers, *_MADE_BY}


def _rewrites(maker: ast.ClassDef) -> bool:
    """Whether the names of a body are more than looked at and handed on."""
    for s in maker.body:
        if any(_hands_on_another(n, s) for n in walk(s) if isinstance(n, ast.Call)):
            return True
        if not isinstance(s, ast.FunctionDef) or s.name not in ("__new__", "__init__", "__call__", "__prepare__"):
            continue
        if s.name == "__prepare__":
            return True
        told = [a.arg for a in (*s.args.posonlyargs, *s.args.args)][3:4]
        told += [s.args.vararg.arg] if s.args.vararg else []
        mentions = [n for n in walk(s) if isinstance(n, ast.Name) and n.id in told]
        plain = {id(m) for n in walk(s) for m in _looked_at(n)}
        if any(id(m) not in plain for m in mentions):
            return True
    return False


def _hands_on_another(n: ast.Call, s: ast.stmt) -> bool:
    """Whether a class is made of other names than those that a method of a metaclass got."""
    if not isinstance(n.func, ast.Attribute) or n.func.attr not in ("__new__", "__call__") or len(n.args) < 4:
        return False
    given = s.args if isinstance(s, ast.FunctionDef) else None
    own = [a.arg for a in (*given.posonlyargs, *given.args)][3:4] if given else []
    return getattr(n.args[3], "id", "*") not in own


def _looked_at(n: ast.AST) -> list[ast.AST]:
    if isinstance(n, ast.Call) and isinstance(n.func, ast.Attribute):
        if n.func.attr in ("__new__", "__init__", "__call__"):
            return [getattr(a, "value", a) if isinstance(a, ast.Starred) else a for a in n.args]
        return [n.func.value] if n.func.attr in ("get", "items", "keys", "values", "copy") else []
    if isinstance(n, ast.Subscript) and isinstance(n.ctx, ast.Load):
        return [n.value]
    return list(n.comparators) if isinstance(n, ast.Compare) and len(n.comparators) == 1 else []


def _makes(call: ast.Call, makers: set[str]) -> bool:
    word, count = _word(call.func), len(call.args) + len(call.keywords)
    if isinstance(call.func, ast.Call):
        return _word(call.func.func) == "type"
    if word == "type":
        return count != 1 or isinstance(call.args[0] if call.args else None, ast.Starred)
    return word in _MAKES or (word in makers and len(call.args) == 3) or (word.endswith("Meta") and count == 3)


def _told_in(call: ast.Call) -> set[str] | None:
    """The names in the dictionary that a class is made of, but for those that hold constants."""
    options = {k.arg: k.value for k in call.keywords}
    if _word(call.func) == "new_class":
        return None if len(call.args) > 3 or None in options or "exec_body" in options else set()
    given = call.args[2] if len(call.args) > 2 else options.get("dict")
    if _word(call.func) == "make_dataclass":
        if "namespace" not in options and None not in options:
            return set()
        given = options.get("namespace")
    pairs: list[tuple[ast.expr | str | None, ast.expr]] = []
    if isinstance(given, ast.Dict):
        pairs = list(zip([getattr(k, "value", None) for k in given.keys], given.values, strict=True))
    elif isinstance(given, ast.Call) and _word(given.func) == "dict" and not given.args:
        pairs = [(k.arg, k.value) for k in given.keywords]
    else:
        return None
    if not all(isinstance(k, str) for k, _ in pairs):
        return None
    return {str(k) for k, v in pairs if str(k).startswith("__") or not isinstance(v, _HARMLESS)}


def _scopes(names: ModuleNames) -> list[tuple[ast.Call, _Inside]]:
    """Each call, and the functions around it from the outermost in, with the classes that these stand in."""
    found: list[tuple[ast.Call, _Inside]] = []
    pending: list[tuple[ast.AST, _Inside, ast.ClassDef | None]] = []
    for tree in (names.tree, *names.trees, *names.others):
        if any(_word(n.func) in _SETS for n in every_node(tree) if isinstance(n, ast.Call)):
            pending.append((tree, (), None))
    while pending:
        node, inside, owner = pending.pop()
        if isinstance(node, ast.Call):
            found.append((node, inside))
        if isinstance(node, _Function):
            inside, owner = (*inside, (node, owner)), None
        elif isinstance(node, ast.ClassDef):
            owner = node
        pending += [(child, inside, owner) for child in ast.iter_child_nodes(node)]
    return found


def _sets_on_a_class(
    call: ast.Call,
    inside: _Inside,
    nodes: list[ast.AST],
    makers: set[str],
    names: ModuleNames,
) -> bool:
    """Whether a call may set what nobody reads where it stands, on a class."""
    by_name = isinstance(call.func, ast.Name)
    args = list(call.args)
    if isinstance(call.func, ast.Attribute) and call.func.attr.startswith("__"):
        most = 2 if call.func.attr == "__delattr__" else 3
        args = args if len(args) >= most else [call.func.value, *args]
    fixed = len(args) > 1 and isinstance(args[1], ast.Constant)
    if fixed and (by_name or "del" in _word(call.func) or isinstance(args[-1], _HARMLESS)):
        return False
    root: ast.AST = args[0] if args else call
    while isinstance(root, ast.Attribute | ast.Subscript):
        if isinstance(root, ast.Attribute) and root.attr in _KIN:
            return True
        root = root.value
    classes = {n.name for n in nodes if isinstance(n, ast.ClassDef)} | {"cls", "__class__"}
    classes |= {word for n in nodes if isinstance(n, _Function) for word in _told_its_class(n)}
    if _means_a_class(root, classes):
        return True
    word = _word(root.func) if isinstance(root, ast.Call) and _word(root.func) == "super" else _word(root)
    if not inside:
        return not names.is_imported(word)
    methods = [(function, owner) for function, owner in inside if owner is not None]
    for function, _ in methods:
        decorated = {_word(d) for d in function.decorator_list}
        if makers or function.name in _HOOKS or "classmethod" in decorated:
            return True
    calls = {id(n.func) for n in nodes if isinstance(n, ast.Call)}
    if any(isinstance(n, ast.Name) and n.id == f.name and id(n) not in calls for f, _ in methods for n in nodes):
        return True
    by_class = {n.attr for n in nodes if isinstance(n, ast.Attribute) and _means_a_class(n.value, classes)}
    whole = bool(args) and root is args[0]
    if whole and any(f.name not in by_class and _is_own(f, word) for f, _ in methods):
        return False
    return _decorate(nodes, names) or any(map(_gets_at_names, nodes)) or _stands_loose(nodes, classes)


def _told_its_class(function: _Function) -> list[str]:
    """What a hook, or a class method, calls the class that Python hands it."""
    order = [a.arg for a in (*function.args.posonlyargs, *function.args.args)]
    if function.name == "__set_name__":
        return order[1:2]
    if function.name == "__get__":
        return order[2:3]
    hooked = function.name in _HOOKS or "classmethod" in {_word(d) for d in function.decorator_list}
    return order[:1] if hooked else []


def _is_own(method: _Function, word: str) -> bool:
    """Whether a name is the object of a plain method, which neither it nor a function in it binds anew."""
    spec = method.args
    if word not in {a.arg for a in (*spec.posonlyargs, *spec.args)[:1]} | {"super"}:
        return False
    plain = {"property", "setter", "deleter", "abstractmethod", "override"}
    if not {_word(d) for d in method.decorator_list} <= plain:
        return False
    bound: list[ast.AST] = [n for n in walk(method) if isinstance(n, ast.arg) and n.arg == word]
    bound += [n for n in walk(method) if isinstance(n, ast.Name) and n.id == word and not isinstance(n.ctx, ast.Load)]
    return len(bound) == (word != "super")


def _decorate(nodes: list[ast.AST], names: ModuleNames) -> bool:
    """Whether anything but what is imported, and called like nothing of the files, decorates a class of theirs."""
    own = {n.name for n in nodes if isinstance(n, _Function | ast.ClassDef)}
    for d in (d for n in nodes if isinstance(n, ast.ClassDef) for d in n.decorator_list):
        root: ast.AST = d.func if isinstance(d, ast.Call) else d
        last = _word(root)
        while isinstance(root, ast.Attribute):
            root = root.value
        if not isinstance(root, ast.Name) or not names.is_imported(root.id) or own & {last, root.id}:
            return True
    return False


def _gets_at_names(n: ast.AST) -> bool:
    if isinstance(n, ast.Attribute | ast.Name) and _word(n) in (_KEPT | _KIN) - {"__class__"}:
        return True
    word = _word(n.func) if isinstance(n, ast.Call) else ""
    if isinstance(n, ast.Call) and word == "getattr":
        return len(n.args) < 2 or not isinstance(n.args[1], ast.Constant)
    return word in {"globals", "vars", "locals", "getmembers", "getmodule", "import_module", "__import__"}


def _stands_loose(nodes: list[ast.AST], classes: set[str]) -> bool:
    """Whether a class is mentioned but to call it, ask for it, derive from it, raise, catch or note it."""
    parts = [n for n in nodes if isinstance(n, ast.Name | ast.Attribute | ast.Call)]
    loose = {id(n): n for n in parts if isinstance(n, ast.Call) or isinstance(n.ctx, ast.Load)}
    for n in nodes:
        for part in _used_plainly(n):
            loose.pop(id(part), None)
    return any(_means_a_class(n, classes) for n in loose.values())


def _used_plainly(n: ast.AST) -> list[ast.AST]:
    found: list[ast.AST] = []
    if isinstance(n, ast.Call):
        found = [n.func, *(n.args if _word(n.func) == "super" else ())]
        found += list(walk(n.args[1])) if _word(n.func) in _ASKS and len(n.args) == 2 else []
    elif isinstance(n, ast.Attribute):
        found = [n.value]
    elif isinstance(n, ast.ClassDef):
        found = [*n.bases]
    elif isinstance(n, ast.ExceptHandler) and n.type is not None:
        found = list(walk(n.type))
    elif isinstance(n, ast.Raise) and n.exc is not None:
        found = [n.exc]
    elif isinstance(n, ast.MatchClass):
        found = [n.cls]
    elif isinstance(n, ast.Compare) and not any(isinstance(op, ast.In | ast.NotIn) for op in n.ops):
        found = [n.left, *n.comparators]
    for noted in (getattr(n, "annotation", None), getattr(n, "returns", None)):
        found += list(walk(noted)) if isinstance(noted, ast.AST) else []
    return found


def _means_a_class(e: ast.AST, classes: set[str]) -> bool:
    if isinstance(e, ast.Name | ast.Attribute):
        return _word(e) in classes or (isinstance(e, ast.Attribute) and e.attr in _KIN)
    if isinstance(e, ast.Call):
        return (_word(e.func) == "type" and len(e.args) == 1) or _word(e.func) in _KIN
    if isinstance(e, ast.Tuple | ast.List | ast.Set):
        return any(_means_a_class(part, classes) for part in e.elts)
    if isinstance(e, ast.Dict):
        return any(_means_a_class(part, classes) for part in (*e.keys, *e.values) if part is not None)
    return isinstance(e, ast.Starred) and _means_a_class(e.value, classes)


def _word(e: ast.AST) -> str:
    return e.attr if isinstance(e, ast.Attribute) else getattr(e, "id", "")
