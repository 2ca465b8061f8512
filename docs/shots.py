"""Screenshots of the main commands on the demo data, in a real terminal window on a virtual screen.

Needs Xvfb, xterm, ImageMagick's `import` and Chromium (Debian: xvfb xterm imagemagick fonts-dejavu chromium).
Run by `make shots`.
"""

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from dreck.demo.tour import copy_yard

SHOTS = Path(__file__).parent / "screenshots"
DISPLAY = ":97"
PAPER, INK = "#fbfaf6", "#22262b"
COMMANDS = {
    "survey": ("dreck survey . --top 12", ""),
    "outline": ("dreck outline gate.py::admit && dreck outline desk.py::handle --through wet", ""),
    "offer": ("dreck offer gate.py fees.py --top 7", ""),
    "census": ("dreck census .", ""),
    "untangle": ("dreck untangle gate.py::admit", ""),
    "names": (
        "dreck untangle permits.py::may_renew --step named-predicate --name "
        "'holder.unpaid == 0 and holder.complaints < 3=has_clean_record'",
        "",
    ),
    "replace": ("dreck untangle materials.py::handling --step lookup-table", ""),
    "compare": (
        "dreck compare gate.py by_hand.py --assume total-order",
        "dreck untangle --write gate.py > /dev/null; cp gate.py by_hand.py; "
        "cp $(python -c 'import dreck; print(dreck.__path__[0])')/demo/yard/gate.py gate.py; "
        "sed -i 's/load.kilos > permit/load.kilos >= permit/' by_hand.py",
    ),
    "pin": ("dreck pin gate.py -o test_pins.py && tail -n 28 test_pins.py", ""),
    "steps": ("dreck steps guard-clauses", ""),
}


def main() -> None:
    tools = ["Xvfb", "xterm", "import", "chromium"]
    missing = [tool for tool in tools if shutil.which(tool) is None]
    if missing:
        sys.exit(f"make shots needs {', '.join(missing)} (Debian: xvfb xterm imagemagick fonts-dejavu chromium)")
    SHOTS.mkdir(exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    try:
        time.sleep(1.0)
        _pages()
        for name, (command, before) in COMMANDS.items():
            _shot(name, command, before)
            print(f"{SHOTS / name}.png")
    finally:
        screen.terminate()


def _pages() -> None:
    """The report as a page in a browser, and the two figures."""
    yard = copy_yard(Path(tempfile.mkdtemp()) / "yard")
    dreck = str(Path(sys.executable).parent / "dreck")
    for target, output in (("gate.py::admit", "report.html"), ("gate.py::admit", "silhouettes.png"), (".", "map.png")):
        subprocess.run([dreck, "report", target, "-o", output], cwd=yard, check=True, stdout=subprocess.DEVNULL)
        if output.endswith(".png"):
            shutil.copy(yard / output, SHOTS / output)
    quiet = ["--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars", "--disable-background-networking"]
    browser = ["chromium", *quiet, f"--user-data-dir={tempfile.mkdtemp()}", "--window-size=1280,1060"]
    shot = f"--screenshot={SHOTS / 'report.png'}"
    subprocess.run([*browser, shot, (yard / "report.html").as_uri()], check=True, capture_output=True)


def _shot(name: str, command: str, before: str) -> None:
    yard = copy_yard(Path(tempfile.mkdtemp()) / "yard")
    script = yard.parent / "show.sh"
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    shown = f"echo {shlex.quote('$ ' + command)}\n{command}"
    script.write_text(f"cd {yard}\n{before}\n{shown}\ntouch {yard.parent}/done\nsleep 30\n")
    look = f"-tn xterm-256color -fs 8 -bg {PAPER} -fg {INK} -geometry 178x55+0+0 -b 10".split()
    look += ["-fa", "DejaVu Sans Mono"]
    env = {**os.environ, "DISPLAY": DISPLAY, "PATH": path, "COLORTERM": "truecolor", "TERM": "xterm-256color"}
    env.pop("NO_COLOR", None)
    window = subprocess.Popen(["xterm", *look, "-e", "bash", str(script)], env=env)
    try:
        for _ in range(200):
            if (yard.parent / "done").exists():
                break
            time.sleep(0.1)
        time.sleep(0.6)
        subprocess.run(["import", "-window", "root", str(SHOTS / f"{name}.png")], env=env, check=True)
    finally:
        window.terminate()
        window.wait()


if __name__ == "__main__":
    main()
