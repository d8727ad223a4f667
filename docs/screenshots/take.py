"""Takes the pictures of this folder: each command in a real terminal window, on the demo worlds.

Needs Xvfb, xterm, ImageMagick's `import` and the DejaVu fonts. Run by `make screenshots`.
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
SHOTS = {
    "check": "script -qec 'zubrel check draft.yaml' /dev/null | head -n 40",
    "proved": "zubrel check tidewrack.yaml; echo; zubrel route tidewrack.yaml --to 'crowbar'",
    "list": "for t in quests people shops; do zubrel list tidewrack.yaml $t; done",
    "errors": "zubrel check broken.yaml",
}
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
    missing = [tool for tool in ("Xvfb", "xterm", "import") if not shutil.which(tool)]
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
            Path(folder, "broken.yaml").write_text(BROKEN, encoding="utf-8")
            for name, command in SHOTS.items():
                take(name, command, folder)
    finally:
        screen.terminate()


def take(name: str, command: str, folder: str) -> None:
    """Run `command` in a terminal of 1280x800 pixels and save what it shows."""
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    environment = {
        **os.environ,
        "DISPLAY": DISPLAY,
        "PATH": path,
        "PS1": "",
        "TERM": "xterm-256color",
    }
    shown = command.replace("script -qec '", "").replace("' /dev/null | head -n 40", "")
    script = f"clear; echo '$ {shown if shown.startswith('for') else shown.split(chr(59))[0]}'; {command}; touch done; sleep 20"
    done = Path(folder, "done")
    done.unlink(missing_ok=True)
    terminal = subprocess.Popen(
        ["xterm", "-fa", "DejaVu Sans Mono", "-fs", "11", "-geometry", "142x42+0+0", "-bg",
         "#fbfaf7", "-fg", "#1d1f21", "-xrm", "XTerm*scrollBar: false", "-e", "sh", "-c", script],
        cwd=folder, env=environment,
    )  # fmt: skip
    for _ in range(300):
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
