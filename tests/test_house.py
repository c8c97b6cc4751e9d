"""The house rules that a machine can hold and no other tool does: spans, branches, calls, pages."""

import ast
import re
import sys
import unittest
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
PACKAGE = ROOT / "lumbrel"
MOST_LINES, MOST_BRANCHES, MOST_POSITIONAL, MOST_FIELDS, WIDEST = 50, 15, 5, 5, 120
MOST_OF_A_MODULE = 350
GIVEN_UP = (
    r"Put (it|them) (down|out|on the shelf)",
    r"Put (on the slip|them back|the colour on)",
    r"Note it\b",
    r"Take the check",
    r"Is it so\?",
    r"[Nn]obody (knows|noted|measured|read|looked at)",
    r"stands? alone",
    r"[Ss]o deep it stands",
    r"Boil again",
    r"Wish list",
    r"Plan it so",
    r"here no more",
    r"still to (go|come)\b",
    r"drop is( at)?\"|cup is( at)?\"|how warm\"|(pot|kettle) shows\"",
)
"""What things and presses were called once, and are no more."""
Function = ast.FunctionDef | ast.AsyncFunctionDef
FORKS = (
    ast.If,
    ast.For,
    ast.AsyncFor,
    ast.While,
    ast.IfExp,
    ast.ExceptHandler,
    ast.comprehension,
    ast.match_case,
)


def modules() -> Iterator[tuple[str, ast.Module]]:
    for path in sorted(PACKAGE.rglob("*.py")):
        yield str(path.relative_to(ROOT)), ast.parse(path.read_text(encoding="utf-8"))


def nodes(kind: type[ast.AST] | tuple[type[ast.AST], ...]) -> Iterator[tuple[str, ast.AST]]:
    for path, tree in modules():
        for node in ast.walk(tree):
            if isinstance(node, kind):
                yield f"{path}:{node.lineno}", node


def branches(function: Function) -> int:
    count, queue = 0, list(ast.iter_child_nodes(function))
    while queue:
        node = queue.pop()
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            continue
        count += isinstance(node, FORKS)
        count += len(node.values) - 1 if isinstance(node, ast.BoolOp) else 0
        queue += ast.iter_child_nodes(node)
    return count


def front_end() -> Iterator[tuple[Path, str]]:
    for path in sorted((PACKAGE / "web").rglob("*")):
        if path.suffix in (".css", ".js", ".html") and "vendor" not in path.parts:
            yield path, path.read_text(encoding="utf-8")


class House(unittest.TestCase):
    def test_every_package_that_is_locked_is_named_with_its_licence(self) -> None:
        notices = (ROOT / "THIRD_PARTY_NOTICES.md").read_text("utf-8")
        named = set(re.findall(r"^\| ([\w.-]+) \| [^|]+ \|$", notices, re.M)) - {"package"}
        locked = set()
        for lock in ("requirements.lock", "requirements-dev.lock"):
            locked |= set(re.findall(r"^([\w.-]+)==", (ROOT / lock).read_text("utf-8"), re.M))
        self.assertEqual(locked, named)

    def test_functions_are_cut_by_meaning(self) -> None:
        seen = 0
        for where, node in nodes((ast.FunctionDef, ast.AsyncFunctionDef)):
            seen += 1
            self.assertLessEqual(node.end_lineno - node.lineno + 1, MOST_LINES, where)
            self.assertLessEqual(branches(node), MOST_BRANCHES, where)
        self.assertGreater(seen, 500)

    def test_modules_are_split_by_meaning(self) -> None:
        for path in PACKAGE.rglob("*.py"):
            long = len(path.read_text(encoding="utf-8").splitlines())
            self.assertLessEqual(long, MOST_OF_A_MODULE, str(path))

    def test_a_class_has_a_name_of_its_own(self) -> None:
        seen: dict[str, str] = {}
        for where, node in nodes(ast.ClassDef):
            self.assertNotIn(node.name, seen, f"{where}, {seen.get(node.name)}")
            seen[node.name] = where

    def test_many_arguments_go_by_name(self) -> None:
        for where, call in nodes(ast.Call):
            self.assertLessEqual(len(call.args), MOST_POSITIONAL, where)
        for where, node in nodes(ast.ClassDef):
            fields = [part for part in node.body if isinstance(part, ast.AnnAssign)]
            made = [ast.unparse(one) for one in node.decorator_list]
            for decorator in made:
                if decorator.startswith("dataclass") and len(fields) > MOST_FIELDS:
                    self.assertIn("kw_only=True", decorator, where)

    def test_the_formatter_rules_everywhere(self) -> None:
        for path in [*PACKAGE.rglob("*.py"), *(ROOT / "scripts").glob("*.py")]:
            self.assertNotIn("fmt: " + "skip", path.read_text(encoding="utf-8"), str(path))
        written = (one for one in front_end() if "bundle" not in one[0].parts)
        for path, text in written:
            self.assertLessEqual(max(map(len, text.splitlines()), default=0), WIDEST, str(path))

    def test_nothing_is_called_by_a_word_that_was_given_up(self) -> None:
        """One word for one thing: those that stood beside it before come back nowhere that somebody reads."""
        given_up = re.compile("|".join(GIVEN_UP))
        for path, tree in modules():
            own = {id(n.value) for n in ast.walk(tree) if isinstance(n, ast.Expr)}
            for node in ast.walk(tree):
                if isinstance(node, ast.Constant) and id(node) not in own:
                    found = given_up.search(str(node.value))
                    self.assertIsNone(found, f"{path}:{node.lineno}: {node.value}")
        for path, text in front_end():
            if "bundle" not in path.parts:
                said = re.sub(r"(?s)\{#.*?#\}|/\*.*?\*/", "", text)
                found = given_up.search(re.sub(r"(?m)^\s*//.*$|\s+", " ", said))
                self.assertIsNone(found, f"{path}: {found}")

    def test_what_a_page_does_is_named_not_written_on_it(self) -> None:
        """The build of Alpine for strict pages knows names only; what it cannot set it has no model of."""
        count = 0
        for path, text in front_end():
            if path.suffix == ".html":
                for name, value in re.findall(r'\b(x-[a-z.:-]+)="([^"]*)"', text):
                    count += 1
                    self.assertRegex(value, r"^(\w+|\{\{ \w+ \}\})$", f"{path}: {name}")
                    self.assertNotIn("x-model", name, str(path))
        self.assertGreater(count, 100)

    def test_every_folder_of_modules_is_a_package(self) -> None:
        for folder in {path.parent for path in PACKAGE.rglob("*.py")}:
            self.assertTrue((folder / "__init__.py").exists(), str(folder))

    def test_core_needs_the_standard_library_units_and_arrays_only(self) -> None:
        allowed = {*sys.stdlib_module_names, "lumbrel", "pint", "numpy"}
        for where, node in nodes((ast.Import, ast.ImportFrom)):
            if not where.startswith("lumbrel/core"):
                continue
            names = [node.module] if isinstance(node, ast.ImportFrom) else [a.name for a in node.names]
            for name in names:
                self.assertIn(name.split(".")[0], allowed, where)

    def test_pages_hold_no_script_no_style_and_no_format_of_their_own(self) -> None:
        forbidden = (
            r"<script(?![^>]*\bsrc=)|\bstyle=|\son[a-z]+=\"|<style|\|\s*(safe|format|capitalize|title)\b"
        )
        for path, text in front_end():
            if path.suffix == ".html":
                self.assertNotRegex(text, forbidden, str(path))

    def test_every_form_says_of_which_page_and_device_it_is(self) -> None:
        """But those of who is not let in yet."""
        seen = 0
        for path, text in front_end():
            if path.suffix == ".html" and path.name not in ("enter.html", "plain_error.html"):
                forms = re.findall(r"<form\b(?:[^>{]|\{\{.*?\}\}|\{%.*?%\})*>\s*\S+", text, re.S)
                for form in (one for one in forms if 'method="post"' in one):
                    self.assertRegex(form, r"(?s)goes_to\(.*>\s*\{\{$", str(path))
                    seen += 1
        self.assertGreater(seen, 100)

    def test_every_promise_of_the_record_names_a_test_that_is_there(self) -> None:
        tests = "".join(path.read_text("utf-8") for path in (ROOT / "tests").rglob("test_*.py"))
        there = set(re.findall(r"def (test_\w+)", tests))
        said = (ROOT / "docs" / "record.md").read_text("utf-8").split("## What is asked")[0]
        for promise in said.split("\n- **")[1:]:
            named = set(re.findall(r"`(test_\w+)`", promise.split("\n## ")[0]))
            self.assertTrue(named, promise)
        for page in (ROOT / "docs").glob("*.md"):
            self.assertLessEqual(set(re.findall(r"`(test_\w+)`", page.read_text("utf-8"))), there, page)

    def test_shipped_assets_name_no_other_host(self) -> None:
        for path, text in front_end():
            # A licence's notice goes along with what was taken under it.
            own = re.sub(r"/\*!.*?\*/", "", text, flags=re.DOTALL) if "bundle" in path.parts else text
            hosts = re.findall(r"https?://(?!www\.w3\.org)[\w.]+", own)
            self.assertEqual(hosts, [], str(path))
