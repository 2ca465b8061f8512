"""The report: whole lines in colour, what changed within them marked, whatever the line ends."""

import html
import re

import pytest

LONG = "len('" + "a long text that goes on " * 8 + "')"
CODE = f'''def fee(kind, kilos, permit=None):
    """What a load costs: "<b>" & more."""
    if permit is not None:
        if kind == "glass":  # by weight
            total = kilos * 2
        else:
            total = kilos * {LONG}
        return total
    else:
        raise PermissionError("no permit")
'''


def side(page: str, name: str) -> list[str]:
    code = page[page.index('<div class="sides">') :]
    part = code[: code.index("<svg")] if name == "old" else code[code.index("</svg>") : code.index("</section>")]
    found = re.findall(r"<code>(.*?)</code>", part, re.S)
    return [html.unescape(re.sub(r"<[^>]+>", "", line)) for line in found]


@pytest.mark.parametrize("ends", ["\n", "\r\n"])
def test_every_line_is_there_in_full(call, tmp_path, ends):
    (tmp_path / "fees.py").write_text(CODE, newline=ends)
    assert call("report", "fees.py", "-o", "fees.html", "--verdict", "proved").returncode == 0
    page = (tmp_path / "fees.html").read_text()
    assert side(page, "old") == CODE.splitlines()
    assert f"    return kilos * {LONG}" in side(page, "new")
    assert '<span class="keyword">return</span>' in page or '<mark class="keyword">return</mark>' in page
    assert "<mark>total =</mark>" in page
    assert '<span class="comment"># by weight</span>' in page


def test_what_within_a_line_is_another():
    from dreck.report.colours import changed_columns, pieces

    old, new = "    if permit is not None:", "if permit is None:"
    marked, others = changed_columns(old, new)
    assert [old[a:b] for a, b in marked] == ["not"]
    assert others == []
    assert ("not", "keyword", True) in pieces([old], [marked])[0]
    assert "".join(text for text, _, _ in pieces([old], [marked])[0]) == old


def test_many_functions_have_a_list_to_jump_from(call, tmp_path):
    (tmp_path / "fees.py").write_text(CODE + "\n\n" + CODE.replace("def fee", "def other_fee"))
    assert call("report", "fees.py", "-o", "fees.html", "--verdict", "proved").returncode == 0
    page = (tmp_path / "fees.html").read_text()
    jumps = re.findall(r'<a href="#(f\d+)">', page)
    assert jumps and all(f'id="{jump}"' in page for jump in jumps)
