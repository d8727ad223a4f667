"""Takes the pictures of this folder: each command in a real terminal window, on the demo worlds.

Needs Xvfb, xterm, ImageMagick's `import`, Chromium, the DejaVu fonts and, for the picture of a
session with the language server, `nvim` of the package neovim. Run by `make screenshots`; with
names, only these pictures are taken.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).parent
DISPLAY = ":93"
# name: (what is shown as typed, what is run)
SHOTS = {
    "check": (
        "zubrel check draft.yaml",
        "script -qec 'zubrel check draft.yaml' /dev/null | head -n 40",
    ),
    "why": ("zubrel why draft.yaml softlock crate", "zubrel why draft.yaml softlock crate"),
    "mend": (
        "zubrel mend draft.yaml softlock crate",
        "script -qec 'zubrel mend draft.yaml softlock crate' /dev/null | head -n 41",
    ),
    "proved": (
        "zubrel check tidewrack.yaml; zubrel route tidewrack.yaml --to crowbar",
        "zubrel check tidewrack.yaml; echo; zubrel route tidewrack.yaml --to crowbar",
    ),
    "compare": (
        "zubrel compare draft.yaml tidewrack.yaml",
        "zubrel compare draft.yaml tidewrack.yaml",
    ),
    "sweep": (
        "zubrel sweep draft.yaml --one-at-a-time --vary 'items.crowbar.uses=1..4' "
        "--vary 'shops.stall.sells.wick.price=1,2'",
        "zubrel sweep draft.yaml --one-at-a-time --vary 'items.crowbar.uses=1..4' "
        "--vary 'shops.stall.sells.wick.price=1,2' --jobs 2",
    ),
    "odds": (
        "zubrel odds draft.yaml",
        "script -qec 'zubrel odds draft.yaml' /dev/null | head -n 42",
    ),
    "list": (
        "for t in quests people shops; do zubrel list tidewrack.yaml $t; done",
        "for t in quests people shops; do zubrel list tidewrack.yaml $t; done",
    ),
    "errors": ("zubrel check broken.yaml", "zubrel check broken.yaml"),
    "play": ("zubrel play key.yaml", "zubrel play key.yaml < typed.txt | tail -n 38"),
    "probe": (
        "zubrel probe tidewrack.yaml light_lamp; zubrel probe tidewrack.yaml trapdoor",
        "zubrel probe tidewrack.yaml light_lamp; zubrel probe tidewrack.yaml trapdoor",
    ),
    "editor": ("", "nvim -u editor.lua draft.yaml"),
}
DRAWN = ("losses",)
PAGES = {
    "report": 'document.querySelectorAll(".finding")[1].open = true',
    "walk": 'document.querySelectorAll(".finding")[1].querySelector("button.step").click();'
    'document.querySelector("[data-do=last]").click()',
}
"""Pages: what is done with the report before it is shown."""
TYPED = "quay_to_tower\nquay_key\nquay_to_pier\ntoss\nwhy\nundo\n"
BROKEN = """\
zubrel: 1
title: A file with mistakes in it
start: {at: quay, holding: 2 coinn}
items:
  coin: {kind: mony}
areas:
  quay:
    finds: [coin]
    ways: [{to: tower, lock: coin}]
    deeds:
      ring: {name: Ring, needs: "coin >= 5 and (lamp", tajes: coin}
  tower: {}
endings:
  top: {when: at towr}
"""


def main() -> None:
    tools = ("Xvfb", "xterm", "import", "chromium", "nvim")
    missing = [tool for tool in tools if not shutil.which(tool)]
    if missing:
        sys.exit(f"not installed: {', '.join(missing)}")
    screen = subprocess.Popen(
        ["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL
    )
    try:
        time.sleep(1)
        with tempfile.TemporaryDirectory() as folder:
            for world in ("draft.yaml", "tidewrack.yaml"):
                shutil.copy(HERE.parent.parent / "src" / "zubrel" / "demo" / world, folder)
            shutil.copy(HERE / "editor.lua", folder)
            Path(folder, "broken.yaml").write_text(BROKEN, encoding="utf-8")
            readme = (HERE.parent.parent / "README.md").read_text(encoding="utf-8")
            world = readme.split("```yaml\n")[1].split("```")[0]
            Path(folder, "key.yaml").write_text(world, encoding="utf-8")
            Path(folder, "typed.txt").write_text(TYPED, encoding="utf-8")
            wanted = sys.argv[1:] or [*SHOTS, *PAGES, "map", "chain", "windows", "growth", *DRAWN]
            for name in wanted:
                if name in SHOTS:
                    take(name, *SHOTS[name], folder)
                elif name in PAGES:
                    browse(name, PAGES[name], folder)
                else:
                    draw(name, folder)
    finally:
        screen.terminate()


def draw(picture: str, folder: str) -> None:
    """Save a picture: of the draft, but the chain of the finished world."""
    world = "tidewrack.yaml" if picture == "chain" else "draft.yaml"
    program = Path(sys.executable).parent / "zubrel"
    target = HERE / f"{picture}.png"
    subprocess.run([program, "draw", world, picture, "-o", target], cwd=folder, check=True)
    print(target)


def browse(name: str, script: str, folder: str) -> None:
    """Save the report on the draft as a browser shows it after a script has run."""
    page = Path(folder, "draft.html")
    program = Path(sys.executable).parent / "zubrel"
    if not page.exists():
        subprocess.run([program, "report", "draft.yaml", "-o", page], cwd=folder, check=True)
    text = page.read_text(encoding="utf-8")
    shown = Path(folder, f"{name}.html")
    shown.write_text(text.replace("</body>", f"<script>{script}</script></body>"), encoding="utf-8")
    subprocess.run(
        [
            "chromium",
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--hide-scrollbars",
            "--window-size=1280,800",
            f"--screenshot={HERE / name}.png",
            f"--user-data-dir={folder}/browser",
            shown.as_uri(),
        ],
        stderr=subprocess.DEVNULL,
        check=True,
    )


def take(name: str, title: str, command: str, folder: str) -> None:
    """Run `command` in a terminal of 1280x800 pixels and save what it shows."""
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    environment = {**os.environ, "DISPLAY": DISPLAY, "PATH": path, "TERM": "xterm-256color"}
    script = Path(folder, "run.sh")
    shown = f"cat <<'END'\n$ {title}\nEND\n"
    shown = shown if title else ""  # who fills the window says by itself when it is done
    end = "touch done\nsleep 20\n" if title else ""
    script.write_text(f"clear\n{shown}{command}\n{end}", encoding="utf-8")
    done = Path(folder, "done")
    done.unlink(missing_ok=True)
    terminal = subprocess.Popen(
        [
            "xterm",
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "11",
            "-geometry",
            "142x42+0+0",
            "-bg",
            "#fbfaf7",
            "-fg",
            "#1d1f21",
            "-xrm",
            "XTerm*scrollBar: false",
            "-e",
            "sh",
            str(script),
        ],
        cwd=folder,
        env=environment,
    )
    for _ in range(1200):
        if done.exists():
            break
        time.sleep(0.1)
    time.sleep(0.7)
    target = HERE / f"{name}.png"
    subprocess.run(["import", "-window", "root", str(target)], check=True, env=environment)
    terminal.terminate()
    terminal.wait()
    print(target)


if __name__ == "__main__":
    main()
