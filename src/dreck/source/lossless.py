"""LibCST, loaded when something of it is first asked for: what only looks for places does without it."""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import libcst as cst
else:

    class _Late:
        """The module as soon as one of its names is asked for; a name that was asked for is kept."""

        def __getattr__(self, name: str) -> Any:
            import libcst

            value = getattr(libcst, name)
            setattr(self, name, value)
            return value

    cst = _Late()

__all__ = ["cst"]
