"""Objects changed behind the back of the code that holds them, as whoever else knows them might."""

from typing import Any


def changed(value: Any) -> None:
    """Changes what `value` holds, in place: one more item, another value, other attributes."""
    match value:
        case list():
            value.append(value[0] if value else 1)
        case dict():
            for key in list(value)[:1]:
                value[key] = another(value[key])
            value["key later"] = 1
        case set():
            value.add("text later")
        case _ if not isinstance(value, tuple | frozenset | type) and hasattr(value, "__dict__"):
            _attributes(value)


def _attributes(value: Any) -> None:
    for name, held in list(vars(value).items()):
        if name.startswith("_dreck_"):
            continue
        if isinstance(held, list | dict | set):
            changed(held)
        else:
            object.__setattr__(value, name, another(held))


def another(value: Any) -> Any:
    """Another value of the same kind, where that is plain."""
    match value:
        case bool():
            return not value
        case int() | float():
            return value + 1
        case str():
            return value + "x"
    return value
