"""The house rules that a machine can hold: imports point down, no inline script or style."""

import ast
import re
import unittest
from pathlib import Path

ROOT = Path(__file__).parent.parent
PACKAGE = ROOT / "lumbrel"
FLOORS = {
    "core": {"core"},
    "store": {"store"},
    "devices": {"devices", "core"},
    "services": {"services", "store", "devices", "core"},
    "exchange": {"exchange", "services", "store", "core"},
    "practice": {"practice", "services", "store", "devices", "core"},
    "web": {"web", "practice", "exchange", "services", "store", "devices", "core"},
}
INNER = {
    ("core", "physics"): {"physics", "data", "errors", "numeric"},
    ("core", "bench"): {"bench", "physics", "data", "errors", "numeric"},
}


def imports(path: Path) -> list[str]:
    found = []
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            found += [f"{node.module}.{alias.name}" for alias in node.names]
        elif isinstance(node, ast.Import):
            found += [alias.name for alias in node.names]
    return found


class House(unittest.TestCase):
    def test_imports_point_down_only(self) -> None:
        looked_at = 0
        for path in PACKAGE.rglob("*.py"):
            floor = path.relative_to(PACKAGE).parts[0]
            if floor not in FLOORS:
                continue
            for name in imports(path):
                parts = name.split(".")
                if parts[0] != "lumbrel" or len(parts) < 2 or parts[1].startswith("__version"):
                    continue
                looked_at += 1
                self.assertIn(parts[1], FLOORS[floor], f"{path} imports {name}")
                inner = INNER.get((floor, path.relative_to(PACKAGE).parts[1]))
                if inner:
                    self.assertIn(parts[2], inner, f"{path} imports {name}")
        self.assertGreater(looked_at, 150)

    def test_core_needs_the_standard_library_units_and_arrays_only(self) -> None:
        allowed_outside = {
            "core/units.py": {"pint"},
            "core/physics/boil_curve.py": {"numpy"},
            "core/pan/least_squares.py": {"numpy"},
            "core/pan/burner.py": {"numpy"},
        }
        standard = __import__("sys").stdlib_module_names
        for path in (PACKAGE / "core").rglob("*.py"):
            allowed = allowed_outside.get(str(path.relative_to(PACKAGE)), set())
            for name in imports(path):
                root = name.split(".")[0]
                self.assertTrue(root == "lumbrel" or root in standard or root in allowed, name)

    def test_templates_hold_no_inline_script_or_style(self) -> None:
        for path in (PACKAGE / "web").rglob("*.html"):
            text = path.read_text(encoding="utf-8")
            self.assertNotRegex(
                text, r"<script(?![^>]*\bsrc=)|\bstyle=|\son[a-z]+=\"|<style", str(path)
            )
            self.assertNotRegex(text, r"\|\s*safe\b", str(path))

    def test_shipped_assets_name_no_other_host(self) -> None:
        for path in (PACKAGE / "web").rglob("*"):
            if path.suffix in (".css", ".js", ".html") and "vendor" not in path.parts:
                hosts = re.findall(
                    r"https?://(?!www\.w3\.org)[\w.]+", path.read_text(encoding="utf-8")
                )
                self.assertEqual(hosts, [], str(path))
