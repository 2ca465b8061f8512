"""What a function asks of the process it runs in, and no trial gives another value: settings of Python and its library.

Source: the library reference, `sys`, `decimal`, `locale`, `gc`, `time`.
"""

import ast
from collections import Counter
from collections.abc import Iterator

from dreck.model.names.modules import ModuleNames
from dreck.source.functions import FunctionNode
from dreck.workbench.judging.candidates import Candidate

_FIXED = frozenset(
    {"sys.flags", "sys.maxsize", "sys.byteorder", "sys.version_info", "sys.hexversion", "sys.implementation",
     "sys.float_info", "sys.int_info", "sys.executable", "sys.prefix", "sys.base_prefix", "sys.orig_argv"}
)  # fmt: skip
"""They are the same as long as the process runs: only whether they are asked for matters."""
_SETTINGS = frozenset(
    {"sys.path", "sys.argv", "sys.modules", "sys.meta_path", "sys.path_hooks", "sys.path_importer_cache",
     "sys.warnoptions", "sys.getrecursionlimit", "sys.getswitchinterval", "sys.get_int_max_str_digits",
     "sys.gettrace", "sys.getprofile", "sys.excepthook", "sys.displayhook", "sys.dont_write_bytecode",
     "decimal.getcontext", "decimal.setcontext", "decimal.localcontext", "decimal.Context", "decimal.DefaultContext",
     "decimal.BasicContext", "decimal.ExtendedContext", "gc.isenabled", "gc.get_threshold", "gc.get_count",
     "warnings.filters", "time.timezone", "time.altzone", "time.tzname", "time.daylight", "time.tzset"}
)  # fmt: skip
_OF_SETTINGS = ("locale.",)
"""Modules that only speak of settings."""


def of_the_process(old: Candidate, new: Candidate) -> str:
    """What only one of them asks of the process, or on another side of a call; '' when there is nothing such."""
    told = [list(_in_order(c.node, c.names)) for c in (old, new)]
    asked = [Counter(name for name in part if _is_asked(name)) for part in told]
    differing = (asked[0] - asked[1]) + (asked[1] - asked[0])
    if differing:
        return f"`{min(differing)}` is what the process has, and no trial gives it another value"
    moving = sorted(name for name in asked[0] if name not in _FIXED)
    if moving and told[0] != told[1]:
        return f"`{moving[0]}` is what the process has, and may change with what is called before"
    return ""


def _is_asked(name: str) -> bool:
    return name in _FIXED or name in _SETTINGS or name.startswith(_OF_SETTINGS)


def _in_order(node: ast.AST, names: ModuleNames) -> Iterator[str]:
    """What is asked of the process, and what else is called, about in the order in which it is evaluated."""
    if isinstance(node, ast.Attribute | ast.Name):
        name = names.stands_for(node)
        if _is_asked(name):
            yield name
            return
    for part in _parts(node):
        yield from _in_order(part, names)
    if isinstance(node, ast.Call) and not (isinstance(node.func, ast.Name) and names.is_builtin(node.func.id)):
        yield f"{ast.unparse(node.func)}()"


def _parts(node: ast.AST) -> list[ast.AST]:
    match node:
        case ast.Assign(targets=targets, value=value):
            return [value, *targets]
        case ast.FunctionDef(body=body) | ast.AsyncFunctionDef(body=body) if isinstance(node, FunctionNode):
            return list(body)
    return list(ast.iter_child_nodes(node))
