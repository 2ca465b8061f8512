"""What a function asks of the process it runs in, and no trial gives another value: settings of Python and its library.

Source: the library reference, `sys`, `os`, `platform`, `tempfile`, `decimal`, `locale`, `gc`, `time`.
"""

import ast
from collections import Counter
from collections.abc import Iterator

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.workbench.judging.candidates import Candidate

_FIXED = frozenset(
    {"sys.flags", "sys.maxsize", "sys.byteorder", "sys.version_info", "sys.hexversion", "sys.implementation",
     "sys.float_info", "sys.int_info", "sys.executable", "sys.prefix", "sys.base_prefix", "sys.orig_argv",
     "sys.platform", "os.name", "os.sep", "os.altsep", "os.linesep", "os.pathsep", "os.devnull", "os.path.sep",
     "os.cpu_count", "os.getpid", "os.getppid", "os.getuid", "os.getgid", "os.getlogin", "os.uname",
     "socket.gethostname", "getpass.getuser", "tempfile.gettempdir", "tempfile.gettempprefix", "tempfile.tempdir"}
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
_OF_SETTINGS = ("locale.", "platform.")
"""Modules that only speak of settings."""


def of_the_process(old: Candidate, new: Candidate) -> str:
    """What only one of them asks of the process, or on another side of a call; '' when there is nothing such."""
    told = [list(_in_order(c.node, c.names)) for c in (old, new)]
    reached = [(name for f in led_to(c) for name in _in_order(f, c.names)) for c in (old, new)]
    asked = [Counter(filter(_is_asked, part)) for part in reached]
    differing = (asked[0] - asked[1]) + (asked[1] - asked[0])
    if differing:
        return f"`{min(differing)}` is what the process has, and no trial gives it another value"
    moving = sorted(name for name in asked[0] if name not in _FIXED)
    if moving and told[0] != told[1]:
        return f"`{moving[0]}` is what the process has, and may change with what is called before"
    return ""


def led_to(c: Candidate) -> list[FunctionNode]:
    """The function, and those of its file that it leads to by the words it says."""
    named: dict[str, list[FunctionNode]] = {}
    for n in every_node(c.names.tree):
        if isinstance(n, FunctionNode):
            named.setdefault(n.name, []).append(n)
    found, pending, known = list[FunctionNode](), [c.node], {c.name.rpartition(".")[2]}
    while pending:
        found.append(pending.pop())
        said = {getattr(n, "id", "") or getattr(n, "attr", "") for n in walk(found[-1])} & named.keys() - known
        known |= said
        pending += [f for word in sorted(said) for f in named[word]]
    return found


def _is_asked(name: str) -> bool:
    return name in _FIXED or name in _SETTINGS or name.startswith(_OF_SETTINGS)


def _in_order(node: ast.AST, names: ModuleNames) -> Iterator[str]:
    """What is asked of the process, and what else is called, about in the order in which it is evaluated."""
    if isinstance(node, ast.Attribute | ast.Name):
        name = names.stands_for(node)
        if _is_asked(name):
            yield name
            return
    if _is_written_as_people_do(node):
        yield "locale.localeconv"
    for part in _parts(node):
        yield from _in_order(part, names)
    if isinstance(node, ast.Call) and not (isinstance(node.func, ast.Name) and names.is_builtin(node.func.id)):
        yield f"{ast.unparse(node.func)}()"


def _is_written_as_people_do(node: ast.AST) -> bool:
    """`f"{kilos:n}"`, `"{:n}".format(kilos)`, `format(kilos, "n")`: by the locale (library reference, 6.1.3.1)."""
    match node:
        case ast.FormattedValue(format_spec=ast.JoinedStr(values=[*_, ast.Constant(value=str() as spec)])):
            return spec.endswith("n")
        case ast.Call(func=ast.Attribute(value=ast.Constant(value=str() as text), attr="format")):
            return "n}" in text
        case ast.Call(func=ast.Name(id="format"), args=[_, ast.Constant(value=str() as spec)]):
            return spec.endswith("n")
    return False


def _parts(node: ast.AST) -> list[ast.AST]:
    match node:
        case ast.Assign(targets=targets, value=value):
            return [value, *targets]
        case ast.FunctionDef(body=body) | ast.AsyncFunctionDef(body=body) if isinstance(node, FunctionNode):
            return list(body)
    return list(ast.iter_child_nodes(node))
