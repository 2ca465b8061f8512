"""Screenshots of the main commands on the demo data, in a real terminal window on a virtual screen.

Needs Xvfb, xterm, ImageMagick's `import`, Chromium and Neovim (Debian: xvfb xterm imagemagick fonts-dejavu chromium
neovim). Run by `make shots`.
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
    tools = ["Xvfb", "xterm", "import", "chromium", "nvim"]
    missing = [tool for tool in tools if shutil.which(tool) is None]
    if missing:
        sys.exit(f"make shots needs {', '.join(missing)} (Debian: xvfb xterm imagemagick fonts-dejavu chromium neovim)")
    SHOTS.mkdir(exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    try:
        time.sleep(1.0)
        _pages()
        for name, (command, before) in COMMANDS.items():
            _shot(name, command, before)
            print(f"{SHOTS / name}.png")
        _editor()
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


def _editor() -> None:
    """Neovim with the recipe of docs/editor.md, the outline of a function shown beside it."""
    yard = copy_yard(Path(tempfile.mkdtemp()) / "yard")
    recipe = (Path(__file__).parent / "editor.md").read_text().split("```lua\n")[2].split("```")[0]
    (yard.parent / "init.lua").write_text(f"{_LOOKS}\n{recipe}")
    socket = yard.parent / "nvim.sock"
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    env = {**os.environ, "DISPLAY": DISPLAY, "PATH": path, "TERM": "xterm-256color"}
    look = f"-tn xterm-256color -fs 9 -bg {PAPER} -fg {INK} -geometry 158x50+0+0 -b 10".split()
    edit = ["nvim", "-n", "--listen", str(socket), "-u", str(yard.parent / "init.lua"), "gate.py"]
    window = subprocess.Popen(["xterm", *look, "-fa", "DejaVu Sans Mono", "-e", *edit], env=env, cwd=yard)
    try:
        time.sleep(5)
        for typed in (":lua vim.lsp.codelens.refresh()<CR>", ":34<CR>w", ":lua vim.lsp.buf.hover()<CR>"):
            subprocess.run(["nvim", "--server", str(socket), "--remote-send", typed], env=env, check=True)
            time.sleep(2)
        subprocess.run(["import", "-window", "root", str(SHOTS / "editor.png")], env=env, check=True)
    finally:
        window.terminate()
        window.wait()
    print(SHOTS / "editor.png")


_LOOKS = """\
vim.o.number, vim.o.background, vim.o.termguicolors = true, "light", true
vim.cmd("highlight Normal guibg=#fbfaf6 guifg=#22262b")
vim.cmd("highlight Pmenu guibg=#e8e4d8 guifg=#22262b")
"""


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
