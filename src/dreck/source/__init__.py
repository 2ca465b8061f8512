"""Python text in and out, byte for byte: targets, files, functions, splicing, atomic saving."""

from dreck.source.files import SourceFile, python_files, read, save_bytes
from dreck.source.functions import Function, functions_in, parse
from dreck.source.lines import split_lines
from dreck.source.targets import Target, resolve

__all__ = [
    "Function",
    "SourceFile",
    "Target",
    "functions_in",
    "parse",
    "python_files",
    "read",
    "resolve",
    "save_bytes",
    "split_lines",
]
