"""What stands near a piece of code that was named and is not there."""

import ast
import shlex
from collections.abc import Iterable, Iterator

from dreck.model.views.spelling import normal, opposite, parts
from dreck.source.files import read
from dreck.source.functions import functions_in, parse
from dreck.source.targets import Target
from dreck.source.walking import walk

_HALF = 0.5


def what_is_near(code: str, name: str, targets: Iterable[Target]) -> str:
    """Why a name was not given, and what to type instead: it stands the other way round, or something near it."""
    wanted, other = normal(code), opposite(code)
    best, share = "", 0.0
    for found in _conditions(targets):
        form = normal(found)
        if wanted is None or form is None:
            continue
        if form == other:
            return f"it stands there the other way round; name that: --name {shlex.quote(f'{found}=NAME')}"
        mine, theirs = parts(wanted), parts(form)
        alike = len(mine & theirs) / max(len(mine | theirs), 1)
        if alike > share:
            best, share = found, alike
    if share >= _HALF:
        if best == code:
            return (
                f"`{code}` stands in the target, but no step that was asked for names it: named-predicate names a"
                " condition, shared-term what stands there again, named-constant a value"
            )
        return (
            f"nothing like `{code}` stands in the target; near it is `{best}`: --name {shlex.quote(f'{best}={name}')}"
        )
    return f"nothing like `{code}` stands in the target"


def _conditions(targets: Iterable[Target]) -> Iterator[str]:
    for target in targets:
        file = read(target.path)
        for function in target.chosen(functions_in(parse(file.text, target.path), file.text)):
            for n in walk(function.node):
                if isinstance(n, ast.BoolOp | ast.Compare | ast.UnaryOp):
                    yield " ".join((ast.get_source_segment(file.text, n) or ast.unparse(n)).split())
