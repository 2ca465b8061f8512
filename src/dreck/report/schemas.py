"""JSON schemas (2020-12) of what each command prints with `--json`. New keys may be added; none goes."""

from typing import Any

_DRAFT = "https://json-schema.org/draft/2020-12/schema"
Schema = dict[str, Any]

TEXT: Schema = {"type": "string"}
NUMBER: Schema = {"type": "integer"}
FLAG: Schema = {"type": "boolean"}
TEXTS: Schema = {"type": "array", "items": TEXT}
PAIR: Schema = {"type": "array", "items": NUMBER, "minItems": 2, "maxItems": 2}
VERDICT: Schema = {"enum": ["proved", "tested", "differs", "unsettled"]}


def _maybe(schema: Schema) -> Schema:
    return {"anyOf": [schema, {"type": "null"}]}


def _many(schema: Schema) -> Schema:
    return {"type": "array", "items": schema}


def _object(optional: tuple[str, ...] = (), **keys: Schema) -> Schema:
    return {"type": "object", "properties": keys, "required": [k for k in keys if k not in optional]}


def _map(schema: Schema) -> Schema:
    return {"type": "object", "additionalProperties": schema}


_SKIPPED = _many(_object(path=TEXT, reason=TEXT))
_NUMBERS = _object(tangle=NUMBER, depth=NUMBER, ways=NUMBER, lines=NUMBER)
_DIFFERENCE = _object(input=TEXT, old=TEXT, new=TEXT)
_WAY = _object(asked=_map(_maybe(FLAG)), acts=TEXTS, exit=TEXT, line=NUMBER)
_PLACE = _object(function=TEXT, line=NUMBER, form=TEXT, default=TEXT)

_SURVEY = _object(
    functions=_many(
        _object(
            function=TEXT, line=NUMBER, tangle=NUMBER, depth=NUMBER, ways=NUMBER, longest_test=NUMBER, lines=NUMBER,
            steps=TEXTS, buried=NUMBER, after=_maybe(NUMBER), left=FLAG, reached=_maybe(NUMBER),
        )
    ),
    skipped=_SKIPPED,
)  # fmt: skip
_OUTLINE = _object(
    functions=_many(
        _object(
            ("examples",),
            function=TEXT,
            line=NUMBER,
            signature=TEXT,
            tables=_many(_object(title=TEXT, conditions=TEXTS, count=NUMBER, impossible=NUMBER, ways=_many(_WAY))),
            notes=_many(_object(kind=TEXT, line=NUMBER, text=TEXT)),
            examples=_many(_object(row=NUMBER, input=TEXT, result=TEXT)),
        )
    )
)
_CENSUS = _object(
    groups=_many(
        _object(
            discriminant=TEXT,
            by={"enum": ["type", "enum", "value"]},
            kinds=TEXTS,
            places=_many(_PLACE),
            cells=_many(_many({"enum": ["handled", "default", "missing"]})),
        )
    ),
    skipped=_SKIPPED,
)
_TAKEN = _object(
    ("made",), step=TEXT, line=NUMBER, reason=TEXT, verdict=VERDICT, assumptions=TEXTS, inputs=NUMBER, outcomes=PAIR,
    slips=PAIR, made=TEXTS,
)  # fmt: skip
_UNTANGLE = _object(
    functions=_many(
        _object(
            function=TEXT,
            before=_NUMBERS,
            after=_NUMBERS,
            steps=_many(_TAKEN),
            refused=_many(_object(step=TEXT, line=NUMBER, reason=TEXT)),
        )
    ),
    files=_many(_object(path=TEXT, diff=TEXT, text=TEXT)),
    skipped=_SKIPPED,
    written=FLAG,
)
_COMPARE = _object(
    functions=_many(
        _object(
            function=TEXT,
            verdict=VERDICT,
            assumptions=TEXTS,
            inputs=NUMBER,
            outcomes=PAIR,
            slips=PAIR,
            reason=_maybe(TEXT),
            difference=_maybe(_DIFFERENCE),
            expected=_maybe(_DIFFERENCE),
        )
    ),
    only_old=TEXTS,
    only_new=TEXTS,
    moved=_map(TEXT),
    defined_otherwise=TEXTS,
    check=_maybe(_object(command=TEXT, green=FLAG, said=_maybe(TEXT))),
)
_OFFER = _object(
    offers=_many(
        _object(
            function=TEXT, line=NUMBER, last=NUMBER, steps=TEXTS, before=_map(NUMBER), after=_map(NUMBER), gain=NUMBER,
            verdict={"enum": ["proved", "tested"]}, assumptions=TEXTS, needs=TEXTS, command=TEXT, reason=TEXT,
        )
    ),
    skipped=_SKIPPED,
    unfinished=TEXTS,
)  # fmt: skip
_PIN = _object(
    functions=_many(
        _object(
            function=TEXT, cases=NUMBER, recorded=NUMBER, outcomes=PAIR, missing=TEXTS, changes=NUMBER, same=NUMBER,
            noticed=NUMBER, survivors=TEXTS, dropped=_map(NUMBER), problem=_maybe(TEXT),
        )
    ),
    text=TEXT,
)  # fmt: skip

SCHEMAS: dict[str, Schema] = {
    "survey": _SURVEY,
    "outline": _OUTLINE,
    "census": _CENSUS,
    "untangle": _UNTANGLE,
    "compare": _COMPARE,
    "offer": _OFFER,
    "pin": _PIN,
}


def schema_of(command: str) -> Schema:
    """The whole schema of one command's JSON. Raises KeyError for a command that prints none."""
    return {"$schema": _DRAFT, "title": f"dreck {command} --json", **SCHEMAS[command]}
