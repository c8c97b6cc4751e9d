"""Scripts and styles put together, so that a page asks for few files; `--check` says whether they are.

    bundle.py [--check]

What is made is committed: nothing of it is made on the machine that serves.
"""

import filecmp
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
STATIC = ROOT / "lumbrel" / "web" / "static"
BUNDLE = STATIC / "bundle"
ENTRIES = ("js/main.js", "js/outbox.js", "js/pan_run.js", "css/app.css")


def made(folder: Path) -> None:
    """Put them together into a folder."""
    how = (
        "--bundle",
        "--splitting",
        "--format=esm",
        "--minify",
        "--target=es2022",
        "--log-level=error",
    )
    names = (
        "--entry-names=[name]",
        "--chunk-names=shared-[hash]",
        "--external:*.woff2",
        "--external:*.svg",
    )
    esbuild = ROOT / "node_modules" / ".bin" / "esbuild"
    entries = [str(STATIC / entry) for entry in ENTRIES]
    subprocess.run([esbuild, *entries, *how, *names, f"--outdir={folder}"], check=True, cwd=ROOT)


def is_made() -> bool:
    """Whether what is committed is what the sources make."""
    with tempfile.TemporaryDirectory() as scratch:
        made(Path(scratch))
        new = sorted(path.name for path in Path(scratch).iterdir())
        old = sorted(path.name for path in BUNDLE.iterdir()) if BUNDLE.exists() else []
        _, wrong, missing = filecmp.cmpfiles(scratch, BUNDLE, new, shallow=False)
        return new == old and not wrong and not missing


def main(words: list[str]) -> int:
    """Make it, or check that it is made."""
    if "--check" in words:
        if is_made():
            return 0
        print("lumbrel/web/static/bundle is older than its sources: run scripts/bundle.")
        return 1
    shutil.rmtree(BUNDLE, ignore_errors=True)
    made(BUNDLE)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
