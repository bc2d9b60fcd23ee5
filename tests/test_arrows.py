"""The arrows of the house run one way."""

import ast
from pathlib import Path

import pytest

SOURCE = Path(__file__).resolve().parents[1] / "src" / "bruvet"
# folder -> what it may use, besides itself
MAY_USE = {
    "core": set(),
    "formats": {"core"},
    "records": {"core"},
    "instruments": {"core", "formats"},
    "work": {"core", "formats", "records", "instruments"},
    "web": {"core", "formats", "records", "work"},
    "command": {"core", "formats", "records", "instruments", "work", "web"},
}
OUTSIDE_CORE = {
    "flask",
    "sqlalchemy",
    "psycopg",
    "alembic",
    "wtforms",
    "requests",
    "os",
    "pathlib",
    "socket",
    "time",
    "random",
}


def imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            module = node.module or ""
            if node.level:
                here = path.relative_to(SOURCE.parent).with_suffix("").parts[: -node.level]
                module = ".".join((*here, module)).rstrip(".")
            found.add(module)
    return found


@pytest.mark.parametrize("folder", sorted(MAY_USE))
def test_arrows_run_downwards(folder: str) -> None:
    for path in (SOURCE / folder).rglob("*.py"):
        for name in imports(path):
            if name.startswith("bruvet."):
                assert name.split(".")[1] in MAY_USE[folder] | {folder}, f"{path} uses {name}"


def test_the_core_knows_no_interface_no_clock_and_no_files() -> None:
    for path in (SOURCE / "core").rglob("*.py"):
        assert not {name.split(".")[0] for name in imports(path)} & OUTSIDE_CORE, path
        assert ".now(" not in path.read_text(), path


def test_no_file_is_a_drawer_for_odds_and_ends() -> None:
    assert not [p for p in SOURCE.rglob("*.py") if p.stem in ("utils", "helpers", "common", "misc")]
