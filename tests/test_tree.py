"""Checks of the tree itself: what can drift is compared."""

import ast
import re
import subprocess
import sys
import tomllib
import unittest
from pathlib import Path

from zeroknot.settings import Settings

ROOT = Path(__file__).resolve().parents[1]
NODE_TOOLS = ROOT / "assets" / "node_modules" / ".bin"


ARRAYS = ("NDArray", "Samples", "Floats")


def public_functions(node, prefix=""):
    """Functions and methods that others may use, by their names."""
    for part in node.body:
        if isinstance(part, ast.ClassDef) and not part.name.startswith("_"):
            yield from public_functions(part, f"{part.name}.")
        elif isinstance(part, ast.FunctionDef) and not part.name.startswith("_"):
            yield prefix + part.name, part


def run(*command):
    return subprocess.run(command, cwd=ROOT, capture_output=True, text=True)


class TreeTest(unittest.TestCase):
    def tool(self, name):
        return str(Path(sys.executable).parent / name)

    def test_format_and_lint(self):
        for arguments in (("check",), ("format", "--check")):
            with self.subTest(arguments):
                done = run(self.tool("ruff"), *arguments, "src", "tests", "benchmarks")
                self.assertEqual(done.returncode, 0, done.stdout[-3000:])

    def test_all_that_is_no_code_is_packed_with_it(self):
        package = ROOT / "src" / "zeroknot"
        told = tomllib.loads((ROOT / "pyproject.toml").read_text())
        globs = told["tool"]["setuptools"]["package-data"]["zeroknot"]
        packed = {file for glob in globs for file in package.glob(glob)}
        there = {
            file for file in package.rglob("*")
            if file.is_file() and file.suffix not in (".py", ".pyc", ".nbi", ".nbc")
        }  # fmt: skip
        self.assertEqual(sorted(there - packed), [])

    def test_types(self):
        done = run(self.tool("mypy"))
        self.assertEqual(done.returncode, 0, done.stdout[-3000:])

    def test_every_file_that_is_kept_has_a_plain_name(self):
        """A folder of data that a slip of a script made is none of ours."""
        listed = subprocess.run(
            ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True
        ).stdout.splitlines()
        odd = [name for name in listed if not re.fullmatch(r"[\w./+-]+", name)]
        self.assertEqual(odd, [])
        self.assertEqual([name for name in listed if name.endswith(".sqlite")], [])

    def test_public_functions_of_the_core_say_what_they_give(self):
        """And of arrays, which shape they have: "float64 [attacks]"."""
        core = ROOT / "src" / "zeroknot" / "core"
        for path in core.rglob("*.py"):
            for name, function in public_functions(ast.parse(path.read_text())):
                said = ast.get_docstring(function) or ""
                of_arrays = any(array in ast.unparse(function.args) + ast.unparse(
                    function.returns or ast.Constant(None)
                ) for array in ARRAYS)  # fmt: skip
                with self.subTest(path=path.name, function=name):
                    self.assertTrue(said)
                    self.assertTrue(not of_arrays or "[" in said, said)

    def test_who_imports_whom(self):
        done = run(self.tool("lint-imports"))
        self.assertEqual(done.returncode, 0, done.stdout[-3000:])

    def test_shipped_assets_are_made_from_their_sources(self):
        done = run(sys.executable, "assets/inputs_hash.py")
        accepted = (ROOT / "assets" / "inputs.sha256").read_text()
        self.assertEqual(done.stdout, accepted, "run `make assets` and commit its results")

    def test_types_of_the_scripts(self):
        made = run("bash", "assets/api_types.sh")
        self.assertEqual(made.returncode, 0, made.stderr[-3000:])
        done = run(str(NODE_TOOLS / "tsc"), "-p", "assets/jsconfig.json")
        self.assertEqual(done.returncode, 0, done.stdout[-3000:])

    def test_no_promise_of_the_scripts_is_left_alone(self):
        scripts = "src/zeroknot/web/static/js"
        done = run(str(NODE_TOOLS / "eslint"), "-c", "assets/eslint.config.js", scripts)
        self.assertEqual(done.returncode, 0, done.stdout[-3000:])

    def test_what_is_being_typed_stays_in_every_field(self):
        """Of the ways to show a value in a field, one alone leaves it while someone types."""
        for page in (ROOT / "src" / "zeroknot" / "web" / "templates").rglob("*.html"):
            with self.subTest(page.name):
                fields = re.findall(r"<input(?:[^>\"]|\"[^\"]*\")*>", page.read_text())
                typed = [field for field in fields if 'type="radio"' not in field]
                self.assertEqual([field for field in typed if " :value=" in field], [])

    def test_every_promise_is_held_by_a_test_that_is_there(self):
        said = "".join((ROOT / "docs" / f"{n}.md").read_text() for n in ("promises", "reliability"))
        named = set(re.findall(r"`(test_\w+)`", said))
        files = (ROOT / "tests").rglob("test_*.py")
        there = {t for f in files for t in re.findall(r"def (test_\w+)", f.read_text())}
        self.assertEqual(named - there, set())

    def test_no_script_is_longer_than_one_can_see_through(self):
        scripts = (ROOT / "src" / "zeroknot" / "web" / "static" / "js").rglob("*.js")
        self.assertEqual({f.name for f in scripts if f.read_text().count("\n") > 400}, set())

    def test_every_setting_is_in_the_readme(self):
        readme = (ROOT / "README.md").read_text()
        for name in Settings.model_fields:
            with self.subTest(name):
                self.assertIn(f"`ZEROKNOT_{name.upper()}`", readme)

    def test_locks_name_no_registry(self):
        for lock in (ROOT / "requirements").glob("*.lock"):
            with self.subTest(lock.name):
                text = lock.read_text()
                self.assertNotRegex(text, r"https?://|--find-links|--index-url")
                self.assertIn("--hash=sha256:", text)
