"""Table files: the rows of a table in a CSV or JSON file beside the module, and the code that reads them."""

import ast
import csv
import io
import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from dreck.steps.support.names.wording import is_free
from dreck.steps.support.scene import Scene
from dreck.steps.support.trees import Untouchable

_READ = {"str": "{}", "int": "int({})", "float": "float({})"}


@dataclass(frozen=True, slots=True)
class TableFile:
    """A file of rows, the reader's name and code, the imports it needs."""

    path: Path
    text: str
    reader: str
    code: str
    imports: tuple[str, ...]


def table_file(
    scene: Scene, name: str, columns: Sequence[str], rows: Sequence[Sequence[ast.expr | None]], unit: str
) -> TableFile:
    """The rows as the file a person asked for. Raises Untouchable for values that cannot stand in one."""
    path = scene.path.with_name(Path(scene.wishes.table_file).name)
    if path.suffix not in (".csv", ".json"):
        raise Untouchable(f"{scene.wishes.table_file}: a table is kept in a .csv or a .json file")
    if path.exists():
        raise Untouchable(f"{path}: is there already")
    reader = f"read_{name.strip('_').lower()}"
    taken = scene.all_words()
    if not is_free(reader, taken) or not all(c.isidentifier() for c in columns) or len(set(columns)) < len(columns):
        raise Untouchable("no free names for what reads the table were found")
    values = [[_value(e) for e in row] for row in rows]
    kinds = [_kind([row[i] for row in values], path) for i in range(len(columns))]
    as_csv = path.suffix == ".csv"
    text = _csv(columns, values) if as_csv else _json(columns, values)
    code = _csv_reader(reader, columns, kinds, unit) if as_csv else _json_reader(reader, columns, kinds, unit)
    return TableFile(path, text, reader, code, ("import csv" if as_csv else "import json", "from pathlib import Path"))


def _value(e: ast.expr | None) -> object:
    if e is None:
        return None
    try:
        return ast.literal_eval(e)
    except (ValueError, SyntaxError):
        raise Untouchable(f"{ast.unparse(e)} is no plain value; it cannot be kept in a file") from None


def _kind(values: Sequence[object], path: Path) -> str:
    """The type of a column, with ` | None` when a value may be missing."""
    kinds = {type(v).__name__ for v in values if v is not None}
    known = {"str", "int", "float"} if path.suffix == ".csv" else {"str", "int", "float", "bool"}
    if kinds == {"int", "float"}:
        raise Untouchable("whole and broken numbers stand in one column; a file would make them one type")
    if len(kinds) != 1 or not kinds <= known:
        raise Untouchable(f"values of {', '.join(sorted(kinds)) or 'no type'} cannot be kept in {path.name}")
    if "" in values and None in values:
        raise Untouchable("an empty text and a missing value would be the same in the file")
    return kinds.pop() + (" | None" if None in values else "")


# --- CSV -----------------------------------------------------------------------------------------------


def _csv(columns: Sequence[str], rows: Sequence[Sequence[object]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows([["" if v is None else v for v in row] for row in rows])
    return out.getvalue()


def _csv_reader(name: str, columns: Sequence[str], kinds: Sequence[str], unit: str) -> str:
    made = []
    for column, kind in zip(columns, kinds, strict=True):
        plain = _READ[kind.split(" ")[0]].format(column)
        made.append(f"{plain} if {column} else None" if "None" in kind else plain)
    told = _told(columns)
    return "\n".join(
        [
            f"def {name}(file):",
            f'{unit}"""The rows of {told} in `file`; a row that is none raises ValueError and is named."""',
            f"{unit}found = []",
            f'{unit}with open(file, newline="", encoding="utf-8") as lines:',
            f"{unit * 2}for number, row in enumerate(csv.reader(lines), 1):",
            f"{unit * 3}if number == 1:",
            f"{unit * 4}continue",
            f"{unit * 3}try:",
            f"{unit * 4}{', '.join(columns)} = row",
            f"{unit * 4}found.append(({', '.join(made)}))",
            f"{unit * 3}except ValueError:",
            f'{unit * 4}raise ValueError(f"{{file}}, row {{number}}: {told} are wanted, not {{row}}") from None',
            f"{unit}return found",
            "",
        ]
    )


# --- JSON ----------------------------------------------------------------------------------------------


def _json(columns: Sequence[str], rows: Sequence[Sequence[object]]) -> str:
    lines = [json.dumps(dict(zip(columns, row, strict=True)), ensure_ascii=False) for row in rows]
    return "[\n  " + ",\n  ".join(lines) + "\n]\n"


def _json_reader(name: str, columns: Sequence[str], kinds: Sequence[str], unit: str) -> str:
    told = _told(columns)
    wanted = ", ".join(f'"{column}": ({_types(kind)},)' for column, kind in zip(columns, kinds, strict=True))
    made = ", ".join(f'row["{column}"]' for column in columns)
    return "\n".join(
        [
            f"def {name}(file):",
            f'{unit}"""The rows of {told} in `file`; a row that is none raises ValueError and is named."""',
            f"{unit}wanted = {{{wanted}}}",
            f"{unit}found = []",
            f'{unit}with open(file, encoding="utf-8") as lines:',
            f"{unit * 2}rows = json.load(lines)",
            f"{unit}for number, row in enumerate(rows, 1):",
            f"{unit * 2}fits = isinstance(row, dict) and row.keys() == wanted.keys()",
            f"{unit * 2}if not fits or any(type(row[column]) not in wanted[column] for column in wanted):",
            f'{unit * 3}raise ValueError(f"{{file}}, row {{number}}: {told} are wanted, not {{row}}")',
            f"{unit * 2}found.append(({made}))",
            f"{unit}return found",
            "",
        ]
    )


def _types(kind: str) -> str:
    return ", ".join("type(None)" if part == "None" else part for part in kind.split(" | "))


def _told(columns: Sequence[str]) -> str:
    return f"{', '.join(columns[:-1])} and {columns[-1]}"
