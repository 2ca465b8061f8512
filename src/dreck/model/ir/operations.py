"""Operations: everything one node of the graph can do, by name. What each may do stands in `dreck.proof.table`."""

from enum import StrEnum


class Op(StrEnum):
    """One operation of the graph. The value is how it is told in messages."""

    # moving values and control
    MOVE = "move"
    BOUND = "bound"
    BRANCH = "branch"
    HEAD = "head"
    RETURN = "return"
    THROW = "throw"
    TUPLE = "tuple"
    SLICE = "slice"
    JOINED = "joined"
    PART = "part"
    MAYBE_PART = "maybe part"
    # names
    GLOBAL = "global"
    FREE = "free"
    CELL = "cell"
    SET_GLOBAL = "setglobal"
    SET_FREE = "setfree"
    SET_CELL = "setcell"
    IMPORT = "import"
    # attributes and items
    ATTRIBUTE = "attr"
    SET_ATTRIBUTE = "setattr"
    DELETE_ATTRIBUTE = "delattr"
    ITEM = "item"
    SET_ITEM = "setitem"
    DELETE_ITEM = "delitem"
    # operators
    BINARY = "bin"
    IN_PLACE = "iop"
    UNARY = "unary"
    COMPARE = "compare"
    FORMAT = "format"
    TEMPLATE = "template"
    # calls
    CALL = "call"
    SUPER = "super"
    SPREAD = "spread"
    AWAIT = "await"
    YIELD = "yield"
    YIELD_FROM = "yield from"
    # making things
    NEW = "new"
    NEW_HASHED = "new of hashed parts"
    FUNCTION = "function"
    OPAQUE = "opaque"
    UNPACK = "unpack"
    # loops
    ITERATE = "iter"
    NEXT = "next"
    ASYNC_ITERATE = "aiter"
    ASYNC_NEXT = "anext"
    # with
    ENTER = "enter"
    EXIT = "exit"
    EXIT_RAISING = "exitexc"
    ASYNC_ENTER = "aenter"
    ASYNC_EXIT = "aexit"
    ASYNC_EXIT_RAISING = "aexitexc"
    # exceptions
    RAISE = "raise"
    RAISE_FROM = "raise from"
    RERAISE = "reraise"
    ASSERTION = "assertion"
    CATCHES = "catches"
    GROUP_MATCHED = "matched"
    GROUP_UNMATCHED = "unmatched"
    GROUP_COLLECT = "collect"
    GROUP_AGAIN = "regroup"
    # patterns
    PATTERN_SEQUENCE = "pattern sequence"
    PATTERN_PART = "pattern part"
    PATTERN_CLASS = "pattern class"
    PATTERN_MAPPING = "pattern mapping"
    PATTERN_KEYS = "pattern keys"
    # constant tables
    HASHED = "hashed"
    SETTLED = "settled"
    APART = "apart"
    ROW = "row"
    MISSING_KEY = "missing key"
