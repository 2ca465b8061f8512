"""Files keep every byte outside the functions that changed, and are saved whole or not at all."""

import os
import stat
from pathlib import Path

import pytest

import dreck
from dreck.source import files, functions_in, parse, split_lines

TANGLED = (
    "def f(load):\n    if load.ok:\n        weigh(load)\n        store(load)\n    else:\n        raise ValueError\n"
)
STRAIGHT = "def f(load):\n    if not load.ok:\n        raise ValueError\n    weigh(load)\n    store(load)\n"


def untangled(path: Path, data: bytes) -> bytes:
    path.write_bytes(data)
    assert dreck.untangle(path, write=True, verdict="proved").written
    return path.read_bytes()


CASES = {
    "plain": ("", "", "utf-8"),
    "coding cookie": ("# -*- coding: latin-1 -*-\nGRÜN = 'grün'\n", "", "latin-1"),
    "around it": ("import os\n\f\nx = 1 ;\ty = 2   \n\n", "\n\n\n# the end \t\nif x:\n\ty = 3\n", "utf-8"),
    "no final newline at the end": ("", "x = '''\n  a\n'''", "utf-8"),
    "other breaks": ("x = 'a\u2028b\x0bc\x0cd'\n", "\ny = 'é'\n", "utf-8"),
}


@pytest.mark.parametrize(("head", "tail", "encoding"), CASES.values(), ids=CASES)
def test_bytes_around_stay(tmp_path, head, tail, encoding):
    new = untangled(tmp_path / "a.py", (head + TANGLED + tail).encode(encoding))
    assert new == (head + STRAIGHT + tail).encode(encoding)


def test_byte_order_mark(tmp_path):
    assert untangled(tmp_path / "a.py", b"\xef\xbb\xbf" + TANGLED.encode()) == b"\xef\xbb\xbf" + STRAIGHT.encode()


def test_crlf_and_tabs(tmp_path):
    for make in (lambda s: s.replace("\n", "\r\n"), lambda s: s.replace("    ", "\t")):
        assert untangled(tmp_path / "a.py", make(TANGLED).encode()) == make(STRAIGHT).encode()


def test_tabs_and_crlf_in_a_class(tmp_path):
    def inside(text: str) -> bytes:
        lines = "".join(f"\t{line}" for line in text.splitlines(keepends=True))
        return ("class A:\n\tx = 1\n\n" + lines).replace("    ", "\t").replace("\n", "\r\n").encode()

    assert untangled(tmp_path / "a.py", inside(TANGLED)) == inside(STRAIGHT)


def test_no_final_newline_in_the_function_itself(tmp_path):
    assert untangled(tmp_path / "a.py", TANGLED.rstrip().encode()) == STRAIGHT.rstrip().encode()


def test_mode_is_kept_and_links_are_followed(tmp_path):
    real = tmp_path / "real.py"
    link = tmp_path / "link.py"
    real.write_text(TANGLED)
    real.chmod(0o750)
    link.symlink_to(real)
    assert dreck.untangle(link, write=True, verdict="proved").written
    assert link.is_symlink()
    assert real.read_text() == STRAIGHT
    assert stat.S_IMODE(real.stat().st_mode) == 0o750


def test_a_failed_write_leaves_the_old_file_and_no_litter(tmp_path, monkeypatch):
    path = tmp_path / "a.py"
    path.write_text(TANGLED)

    def full(*args):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(dreck.BadSource, match="No space left"):
        files.save_bytes(path, STRAIGHT.encode())
    assert path.read_text() == TANGLED
    assert os.listdir(tmp_path) == ["a.py"]


def test_a_character_the_encoding_lacks(tmp_path):
    path = tmp_path / "a.py"
    path.write_bytes(b"# coding: ascii\nx = 1\n")
    with pytest.raises(dreck.BadSource, match="does not fit its encoding"):
        files.read(path).encoded("# coding: ascii\nx = 'é'\n")


def test_lines_are_those_of_the_tokenizer():
    text = "a\x0cb\nc\u2028d\r\ne\rf"
    assert "".join(split_lines(text)) == text
    assert len(split_lines(text)) == 4


def test_functions_have_their_names_lines_and_trailing_comments():
    text = "@a\n@b\ndef f():\n    pass\n    # end\n\n# not mine\nclass A:\n    async def g(self):\n        def h(): pass\n    def g(self): pass\n"
    found = functions_in(parse(text), text)
    assert [(f.name, f.start, f.end) for f in found] == [
        ("f", 1, 5),
        ("A.g", 9, 10),
        ("A.g.h", 10, 10),
        ("A.g#2", 11, 11),
    ]


def test_the_width_a_file_keeps_to():
    from dreck.source.lines import width_of

    line = "    weigh(" + "x" * 60 + ")"
    assert width_of((line + "x" * 5 + "\n") * 150) == 79
    assert width_of((line + "x" * 24 + "\n") * 150) == 100
    assert width_of("    weigh(x)\n" * 150) == 88, "no line comes near a limit"
    assert width_of((line + "\n") * 20) == 88, "too short to say anything"
    assert width_of((line + "x" * 5 + "\n") * 198 + "x" * 300 + "\n") == 79, "one long line does not count"
