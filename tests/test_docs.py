"""What the documents say of the tree is so."""

from __future__ import annotations

import re
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_the_map_in_the_architecture_names_every_module_and_nothing_that_is_gone() -> None:
    text = (ROOT / "docs/architecture.md").read_text(encoding="utf-8").split("```")[1].partition("frontend/src")[0]
    source = ROOT / "src/datebridge"
    modules = {path.stem for path in source.rglob("*.py")} | {path.name for path in source.rglob("*") if path.is_dir()}
    shown = [p for p in source.rglob("*.py") if p.stem != "__init__" and p.parent.name not in ("checks", "versions")]
    named = set(re.findall(r"[a-z_0-9]+", text))
    assert not [
        str(path.relative_to(source)) for path in shown if "migrations" not in path.parts and path.stem not in named
    ]
    packages = set(re.findall(r"([a-z_0-9]+)/", text))
    assert not packages - modules
