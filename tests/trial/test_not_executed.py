"""Modules that cannot be executed: tried once as long as one piece of work goes on, and again with the next."""

import dreck
from dreck.trial import server

BODY = "import missing_part\n\n\ndef fee(kilos: int) -> int:\n    {}\n"
OLD = BODY.format("if kilos > 3 and missing_part.LIMIT < 9:\n        return 1\n    return 2")
NEW = BODY.format("if missing_part.LIMIT < 9 and kilos > 3:\n        return 1\n    return 2")


def test_what_it_lacked_may_be_there_the_next_time(tmp_path):
    files = [tmp_path / "old.py", tmp_path / "new.py"]
    for file, text in zip(files, (OLD, NEW), strict=True):
        file.write_text(text)
    first = dreck.compare(*files)
    assert first.status == "unsettled" and "cannot be executed" in str(first)
    (tmp_path / "missing_part.py").write_text("LIMIT = 4\n")
    assert "cannot be executed" not in str(dreck.compare(*files))


def test_it_is_tried_once_for_all_its_functions(tmp_path, monkeypatch):
    asked = []
    ask = type(server._server).ask
    monkeypatch.setattr(type(server._server), "ask", lambda self, request: asked.append(request) or ask(self, request))
    files = [tmp_path / "old.py", tmp_path / "new.py"]
    for file, text in zip(files, (OLD, NEW), strict=True):
        file.write_text(text + text.partition("\n\n\n")[2].replace("fee", "other_fee"))
    found = dreck.compare(*files)
    assert found.status == "unsettled" and len(asked) == 1


def test_a_new_version_that_cannot_be_executed_says_nothing_of_the_old_one(tmp_path):
    (tmp_path / "missing_part.py").write_text("LIMIT = 4\n")
    old, new, broken = (tmp_path / name for name in ("old.py", "new.py", "broken.py"))
    old.write_text(OLD)
    new.write_text(NEW)
    broken.write_text("import not_there_at_all\n" + NEW)
    assert "cannot be executed" in str(dreck.compare(old, broken))
    assert "cannot be executed" not in str(dreck.compare(old, new))
