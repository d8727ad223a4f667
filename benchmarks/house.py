"""How the code is cut: prints the table of docs/architecture.md.

Run with `python -m benchmarks.house`.
"""

from __future__ import annotations

import ast
import io
import statistics
import tokenize
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent


def main() -> None:
    files = sorted((ROOT / "src" / "zubrel").rglob("*.py"))
    texts = {path: path.read_text(encoding="utf-8") for path in files}
    lines = {path: len(text.splitlines()) for path, text in texts.items()}
    modules = [(count, path) for path, count in lines.items() if path.name != "__init__.py"]
    bodies = [body for path, text in texts.items() for body in bodies_of(path, ast.parse(text))]
    src = sum(lines.values())
    tests = sum(len(p.read_text().splitlines()) for p in (ROOT / "tests").rglob("*.py"))
    comments = sum(comment_lines(text) for text in texts.values())
    docstrings = sum(docstring_lines(ast.parse(text)) for text in texts.values())
    print(f"| modules: how many, median, p90, largest | {spread(modules)} |")
    print(f"| bodies of functions: how many, median, p90, largest | {spread(bodies)} |")
    print(f"| lines of `src` | {src:,} |")
    print(
        f"| of them with a comment, in docstrings | {share(comments, src)}, "
        f"{share(docstrings, src)} |"
    )
    print(f"| tests, of all lines of `src` and `tests` | {share(tests, src + tests)} |")


def bodies_of(path: Path, tree: ast.AST) -> Iterator[tuple[int, Path]]:
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef):
            yield (node.end_lineno or 0) - node.body[0].lineno + 1, path


def comment_lines(text: str) -> int:
    tokens = tokenize.generate_tokens(io.StringIO(text).readline)
    return len({token.start[0] for token in tokens if token.type == tokenize.COMMENT})


def docstring_lines(tree: ast.AST) -> int:
    return sum(
        (node.end_lineno or 0) - node.lineno + 1
        for node in ast.walk(tree)
        if isinstance(node, ast.Expr)
        and isinstance(node.value, ast.Constant)
        and isinstance(node.value.value, str)
    )


def spread(sized: list[tuple[int, Path]]) -> str:
    sizes = sorted(size for size, _ in sized)
    p90 = sizes[int(0.9 * len(sizes))]
    largest, path = max(sized)
    return (
        f"{len(sizes):,}; {statistics.median(sizes):g}, {p90}, {largest} (in `{path.parent.name}/"
        f"{path.name}`) lines"
    )


def share(part: int, whole: int) -> str:
    return f"{100 * part / whole:.1f} %"


if __name__ == "__main__":
    main()
