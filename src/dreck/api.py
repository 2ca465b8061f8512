"""The one public call that wraps a request: `dreck.untangle`."""

from collections.abc import Iterable, Mapping
from pathlib import Path

from dreck.errors import DreckError
from dreck.source.targets import Target
from dreck.steps.scene import Wishes
from dreck.workbench.load import Loaded
from dreck.workbench.results import Result
from dreck.workbench.untangle import Request
from dreck.workbench.untangle import untangle as _untangle

_Spec = str | Path | Target | Loaded


def untangle(
    target: _Spec | Iterable[_Spec],
    *,
    steps: Iterable[str] = (),
    leave: Iterable[str] = (),
    assume: Iterable[str] = (),
    verdict: str = "tested",
    write: bool = False,
    names: Mapping[str, str] | None = None,
    form: str = "",
    on: str = "",
    inline_callers: bool = False,
) -> Result:
    """Straightens what `target` means: a function, file or folder, or several of them.

    `steps` names the steps to take (default: those that flatten and need no choice), `leave` steps to leave
    out, `assume` further assumptions a proof may rest on, `verdict` the least evidence wanted (`proved` or
    `tested`; with `proved` no code of the target is run). Nothing is saved without `write=True`.

    `names` gives names to code (`{"load.kilos > 800": "is_heavy"}`) or new ones to names Dreck made; `form` is what a
    predicate is to be (variable, function, method, property) or, for the base of classes, `protocol`; `on` what a
    switch is on (`load.kind`). With `inline_callers` a function that became a method goes; its callers call that.

    The result has `.steps`, `.source`, `.diff`, `.functions`. Raises DreckError and its kinds.
    """
    if verdict not in ("proved", "tested"):
        raise DreckError(f"verdict must be 'proved' or 'tested', not {verdict!r}")
    specs = [target] if isinstance(target, str | Path | Target | Loaded) else list(target)
    plain = [spec.target if isinstance(spec, Loaded) else spec for spec in specs]
    wishes = Wishes(dict(names or {}), form, on, inline_callers=inline_callers)
    return _untangle(plain, Request(tuple(steps), tuple(leave), tuple(assume), verdict, write, wishes=wishes))
