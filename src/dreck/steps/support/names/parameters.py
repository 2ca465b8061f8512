"""What a constant is called by the function that is given it."""

import ast

from dreck.source.walking import walk
from dreck.steps.support.scene import Scene


def what_it_is(scene: Scene, way: ast.AST, given: ast.expr) -> str:
    """What a constant is in a way: a key, or what the function that gets it calls it."""
    for n in walk(way):
        match n:
            case ast.Subscript(slice=key) if key is given:
                return "key"
            case ast.Call(keywords=keywords) if any(k.value is given for k in keywords):
                return next(k.arg for k in keywords if k.value is given) or UNNAMED
            case ast.Call(func=func, args=args) if any(a is given for a in args):
                return _parameter(scene, func, next(i for i, a in enumerate(args) if a is given))
    return UNNAMED


UNNAMED = "tried"
_PARAMETERS = {
    ("get", 0): "key", ("pop", 0): "key", ("getattr", 1): "name", ("hasattr", 1): "name", ("getenv", 0): "name",
    ("strptime", 1): "pattern", ("strftime", 0): "pattern", ("decode", 0): "encoding", ("encode", 0): "encoding",
    ("group", 0): "group", ("match", 0): "pattern", ("fullmatch", 0): "pattern", ("search", 0): "pattern",
    ("int", 1): "base",
    ("startswith", 0): "prefix", ("endswith", 0): "ending", ("replace", 0): "part",
    ("import_module", 0): "name", ("which", 0): "name", ("split", 0): "separator", ("partition", 0): "separator",
}  # fmt: skip
"""What the library's functions are given at a place."""


def _parameter(scene: Scene, function: ast.expr, place: int) -> str:
    match function:
        case ast.Name(id=name):
            defined = scene.names.definitions.get(name)
            if isinstance(defined, ast.FunctionDef | ast.AsyncFunctionDef):
                parameters = [a.arg for a in (*defined.args.posonlyargs, *defined.args.args)]
                return parameters[place] if place < len(parameters) else UNNAMED
            return _PARAMETERS.get((name, place), UNNAMED)
        case ast.Attribute(attr=name):
            return _PARAMETERS.get((name, place), UNNAMED)
    return UNNAMED
