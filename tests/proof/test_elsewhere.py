"""Bases from elsewhere, read by the prover and by the checker, each in its own way: both must say the same."""

import ast
import sys
import zipfile

import pytest

from dreck.model.names.modules import ModuleNames
from dreck.proof.checking.texts.elsewhere import _Libraries, sole_method
from dreck.proof.classes.elsewhere import Elsewhere
from dreck.proof.classes.say.private import private_method
from dreck.proof.classes.table import ClassTable

SILENT = [
    *["json.JSONEncoder", "logging.Handler", "http.server.BaseHTTPRequestHandler", "collections.OrderedDict"],
    *["collections.abc.Mapping", "typing.Generic", "abc.ABC", "unittest.TestCase", "socket.socket", "io.BytesIO"],
    *["asyncio.Protocol", "click.ParamType", "builtins.dict", "builtins.ValueError", "collections.UserDict"],
]
SPEAKING = [
    ("argparse.ArgumentParser", "_get_values"),
    ("html.parser.HTMLParser", "_scan_name"),
    ("http.server.HTTPServer", "_handle_request_noblock"),
    ("threading.Thread", "_bootstrap"),
    ("builtins.dict", "get"),
    ("io.BytesIO", "getvalue"),
]
TAKING_PART = ["enum.Enum", "unittest.mock.Mock", "ctypes.Structure", "string.Template", "typing.NamedTuple"]
UNKNOWN = ["nowhere.Base", "json.Nothing", "os.environ", "collections.namedtuple", "json", "sys.version_info"]


@pytest.mark.parametrize("source", SILENT)
def test_leaves_a_new_name_alone(source: str):
    assert Elsewhere("_is_heavy_bin").leaves_alone(source)
    assert _Libraries("_is_heavy_bin").is_silent(source) or _Libraries("_is_heavy_bin").is_builtin(_name(source))


@pytest.mark.parametrize(("source", "word"), SPEAKING)
def test_says_the_name(source: str, word: str):
    assert Elsewhere(word).has(source)
    assert not Elsewhere(word).leaves_alone(source)
    assert not _Libraries(word).is_silent(source)
    assert not _Libraries(word).is_builtin(_name(source))


@pytest.mark.parametrize("source", TAKING_PART + UNKNOWN)
def test_is_not_known_to_leave_it_alone(source: str):
    assert not Elsewhere("_is_heavy_bin").leaves_alone(source)
    assert not _Libraries("_is_heavy_bin").is_silent(source)
    assert not Elsewhere("_is_heavy_bin").has(source)


def test_what_the_project_has_itself_is_not_looked_for_elsewhere(tmp_path, monkeypatch):
    """A folder on the path that the program was called in holds files of the project."""
    (tmp_path / "yard_gates.py").write_text("class Gate:\n    pass\n")
    monkeypatch.syspath_prepend(tmp_path)
    assert Elsewhere("_is_heavy").leaves_alone("yard_gates.Gate")
    monkeypatch.chdir(tmp_path)
    assert str(tmp_path) in sys.path
    from dreck.source.libraries import library_module

    library_module.cache_clear()
    assert not Elsewhere("_is_heavy").leaves_alone("yard_gates.Gate")


def test_modules_that_import_everything_of_one_another(tmp_path, monkeypatch):
    (tmp_path / "yard_a.py").write_text("from yard_b import *\n")
    (tmp_path / "yard_b.py").write_text("from yard_a import *\nclass Gate:\n    def _open(self):\n        pass\n")
    monkeypatch.syspath_prepend(tmp_path)
    for word, silent in (("_is_heavy", True), ("_open", False)):
        assert Elsewhere(word).leaves_alone("yard_a.Gate") is silent
        assert _Libraries(word).is_silent("yard_a.Gate") is silent
    assert not Elsewhere("_is_heavy").leaves_alone("yard_a.Nothing")
    assert not _Libraries("_is_heavy").is_silent("yard_a.Nothing")


BIN = "class Bin(JSONEncoder):\n    def _is_heavy(self):\n        return True\n"
PLAIN = "from json import JSONEncoder\n"


@pytest.mark.parametrize(
    ("code", "is_there"),
    [
        (PLAIN + BIN, True),
        (PLAIN + "class Base(JSONEncoder): pass\n" + BIN.replace("JSON", "").replace("Encoder", "Base"), True),
        (PLAIN + BIN + "class Below(Bin): pass\n", True),
        (PLAIN + BIN + "class Below(Bin):\n    def _is_heavy(self): return False\n", False),
        (PLAIN + BIN + "class Below(Bin):\n    def __getattribute__(self, name): return 1\n", False),
        (PLAIN + BIN + "class Other:\n    def _is_heavy(self): return False\n", False),
        (PLAIN + BIN.replace("    def", "    @staticmethod\n    def"), False),
        (PLAIN + "JSONEncoder = dict\n" + BIN, False),
        (PLAIN + BIN.replace("Encoder", "Encoder, metaclass=Meta"), False),
        (PLAIN + "@told\n" + BIN, False),
        (PLAIN + BIN + "    if kg: pass\n", True),
        (PLAIN + BIN + "    if kg:\n        def __getattribute__(self, name): return 1\n", False),
        (PLAIN + BIN + "    if kg: exec(kg)\n", False),
        (PLAIN + BIN + "    for kg in rows: locals()[kg] = 1\n", False),
        ("from .json import JSONEncoder\n" + BIN, False),
        ("JSONEncoder = made()\n" + BIN, False),
        ("from json import *\n" + BIN, False),
        ("try:\n    from json import JSONEncoder\nexcept ImportError:\n    JSONEncoder = dict\n" + BIN, False),
    ],
)
def test_both_see_the_one_method(code: str, is_there: bool):
    names = ModuleNames(ast.parse(code))
    assert (private_method(ClassTable(names), "Bin", "_is_heavy") is not None) is is_there
    assert (sole_method(names, "Bin", "_is_heavy") is not None) is is_there


def _name(source: str) -> ast.expr:
    return ast.parse(source.removeprefix("builtins."), mode="eval").body


def test_texts_in_an_archive_are_read_as_files_are(tmp_path, monkeypatch):
    """Python's own library may lie in one, and is then found there as Python finds it."""
    with zipfile.ZipFile(tmp_path / "yard.zip", "w") as archive:
        archive.writestr("yard_scales/__init__.py", "class Scale:\n    def _tare(self):\n        return 1\n")
        archive.writestr("yard_scales/floor.py", "from . import Scale\nclass Floor(Scale):\n    pass\n")
    monkeypatch.syspath_prepend(tmp_path / "yard.zip")
    assert Elsewhere("_is_heavy").leaves_alone("yard_scales.floor.Floor")
    assert Elsewhere("_tare").has("yard_scales.floor.Floor")
    assert not Elsewhere("_tare").leaves_alone("yard_scales.floor.Floor")
    assert not Elsewhere("_is_heavy").leaves_alone("yard_scales.wall.Wall")
