"""The order of the house: who may import whom, and what must not be imported at all."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

import networkx

PACKAGE = Path(__file__).parent.parent / "src" / "zubrel"
ORDER = [
    ("base",),
    ("policy",),
    ("authored",),
    ("checked",),
    ("walked",),
    ("compiled",),
    ("reduced", "explored"),
    ("certain", "quotient"),
    ("findings",),
    ("reasoned",),
    ("narrated",),
    ("odds",),
    ("played",),
    ("drawn", "looks", "reached"),
    ("pipeline",),
    ("routes", "mended"),
    ("whys", "swept", "edited", "probing"),
    ("output",),
    ("api",),
    ("demo",),
    ("served",),
    ("shell",),
    ("entry",),
]
"""From the top of the house down; those in one row are siblings that do not know each other."""
INSIDE = {
    "explored": [
        ("space",),
        ("by_sets", "packed"),
        ("listed", "symbolic"),
        ("explore", "backward"),
    ],
    "findings": [
        ("finding", "dealt"),
        ("judged",),
        ("detector", "causes", "mentions"),
        ("detectors",),
        ("registry",),
        ("shape",),
        ("large",),
        ("find", "fates", "alongside"),
    ],
}
CORE = [
    "base",
    "authored",
    "checked",
    "walked",
    "compiled",
    "reduced",
    "explored",
    "certain",
    "quotient",
    "findings",
    "reasoned",
    "narrated",
    "played",
    "mended",
    "swept",
    "edited",
]


def modules():
    for path in sorted(PACKAGE.rglob("*.py")):
        yield path, ".".join(path.relative_to(PACKAGE.parent).with_suffix("").parts)


def imported_by(path):
    """Every module that a file imports, hidden imports inside functions included."""
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"relative import in {path}"
            yield node.module


def floor(order, name):
    """The row of a house in which a room is."""
    return next(number for number, row in enumerate(order) if name in row)


class House(unittest.TestCase):
    def test_a_module_imports_only_from_its_own_folder_and_those_above(self):
        seen = 0
        for path, name in modules():
            parts = name.split(".")
            stage = parts[1]
            if stage in ("__init__", "__main__"):
                continue
            for module in imported_by(path):
                if module.startswith("zubrel."):
                    seen += 1
                    other = module.split(".")[1]
                    with self.subTest(module=name, imports=module):
                        self.assertTrue(other == stage or floor(ORDER, other) < floor(ORDER, stage))
        self.assertGreater(seen, 100)

    def test_rooms_inside_a_folder_have_an_order_too(self):
        seen = 0
        for path, name in modules():
            parts = name.split(".")
            if parts[1] not in INSIDE or parts[-1] == "__init__":
                continue
            for module in imported_by(path):
                other = module.split(".")
                if other[:2] == parts[:2] and other[2] != parts[2]:
                    seen += 1
                    order = INSIDE[parts[1]]
                    with self.subTest(module=name, imports=module):
                        self.assertLess(floor(order, other[2]), floor(order, parts[2]))
        self.assertGreater(seen, 50)

    def test_no_import_goes_in_a_circle_not_even_for_types(self):
        graph = networkx.DiGraph(
            (name, module)
            for path, name in modules()
            for module in imported_by(path)
            if module.startswith("zubrel.")
        )
        self.assertGreater(graph.number_of_edges(), 500)
        self.assertEqual(sorted(networkx.simple_cycles(graph)), [])

    def test_no_two_public_classes_share_a_name(self):
        homes = {}
        for path, name in modules():
            for node in ast.parse(path.read_text(encoding="utf-8")).body:
                if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                    homes.setdefault(node.name, []).append(name)
        self.assertGreater(len(homes), 300)
        self.assertEqual({n: h for n, h in homes.items() if len(h) > 1}, {})

    def test_init_files_hold_a_docstring_and_nothing_else(self):
        for path in PACKAGE.rglob("*/__init__.py"):
            body = ast.parse(path.read_text(encoding="utf-8")).body
            with self.subTest(path=path.parent.name):
                self.assertEqual([type(node).__name__ for node in body], ["Expr"])

    def test_the_core_knows_no_interface(self):
        names = [n for _, n in modules() if n.split(".")[1] in CORE and "__init__" not in n]
        code = (
            f"import sys\nfor name in {names!r}: __import__(name)\n"
            "print(*sorted({m.split('.')[0] for m in sys.modules} & "
            "{'click', 'rich', 'matplotlib'}))"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        self.assertEqual(done.stdout.strip(), "")

    def test_small_worlds_are_checked_without_waking_numpy(self):
        code = (
            "import sys\nfrom zubrel.pipeline import load, report\n"
            f"report(load({str(PACKAGE / 'demo' / 'starter.yaml')!r}))\n"
            "print(*sorted({'numpy', 'scipy', 'rich', 'click', 'networkx'} & set(sys.modules)))"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        self.assertEqual(done.stdout.strip(), "")


if __name__ == "__main__":
    unittest.main()
