"""What `docs/extending.md` says of adding a check, a step and a format is all that is needed: one of each is added."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import datebridge
from tests.conftest import calendar, event

SOURCE = Path(datebridge.__file__).parent
CHECK = '''"""An entry that is called Tide."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[CheckFinding]:
    if entry.facts.summary == "Tide":
        yield CheckFinding("It is called Tide.", "Kept as it is.")


CHECK = Check("called-tide", "untidy", "Called Tide", find, why="For a test.")
'''
STEP = '''@dataclass(frozen=True, slots=True)
class Shout:
    """Titles in capitals."""

    do: Literal["shout"] = "shout"


Step = (
    Shout
    | Shift'''
SHOUT = """def _shout(lines: Lines, step: Step) -> None:
    lines.set("SUMMARY", lines.value("SUMMARY").upper())


_PLAIN: dict"""
TITLES = """def _titles(content: SharedContent, cover: Cover, zone: str, midnight: int) -> bytes:
    return "\\n".join(one.redacted.title for one in content.entries).encode()


_ICS ="""


def _edit(path: Path, old: str, new: str) -> None:
    text = path.read_text("utf-8")
    assert text.count(old) == 1, (path.name, old)
    path.write_text(text.replace(old, new), "utf-8")


def _run(folder: Path, *arguments: str) -> str:
    command = [sys.executable, "-c", "from datebridge.cli.main import main; main()", *arguments]
    done = subprocess.run(
        command, env={**os.environ, "PYTHONPATH": str(folder)}, capture_output=True, text=True, cwd=folder, check=False
    )
    assert done.returncode in (0, 1), done.stderr
    return done.stdout


def test_a_check_a_step_and_a_format_are_added_where_the_docs_say(tmp_path: Path) -> None:
    core = tmp_path / "datebridge" / "core"
    shutil.copytree(SOURCE, tmp_path / "datebridge", ignore=shutil.ignore_patterns("__pycache__", "web"))
    file = tmp_path / "tides.ics"
    (tmp_path / "clean").mkdir()
    file.write_text(calendar(event("a", "Tide", "20261124T080000Z")), "utf-8")

    (core / "checks" / "called_tide.py").write_text(CHECK, "utf-8")
    _edit(core / "checks" / "__init__.py", '    "count_and_until",\n', '    "called_tide",\n    "count_and_until",\n')
    found = json.loads(_run(tmp_path, "inspect", str(file), "--json"))
    assert "called-tide" in json.dumps(found)

    _edit(core / "bulk" / "steps.py", "Step = (\n    Shift", STEP)
    _edit(
        core / "bulk" / "steps.py",
        "    match step:\n",
        '    match step:\n        case Shout():\n            return "shouted"\n',
    )
    _edit(core / "bulk" / "__init__.py", "    Shift,\n", "    Shift,\n    Shout,\n")
    _edit(core / "bulk" / "__init__.py", "_PLAIN: dict", SHOUT)
    _edit(core / "bulk" / "__init__.py", "    Property: ", "    Shout: _shout,\n    Property: ")
    recipe = tmp_path / "shout.json"
    recipe.write_text(
        json.dumps({"format": "date-bridge recipe 1", "name": "Shout", "steps": [{"do": "shout"}]}), "utf-8"
    )
    _run(tmp_path, "clean", str(recipe), str(file), "--out", str(tmp_path / "clean"))
    assert "SUMMARY:TIDE" in next((tmp_path / "clean").iterdir()).read_text("utf-8")

    _edit(core / "choices.py", '    FEED = "feed"\n', '    FEED = "feed"\n    TITLES = "titles"\n')
    _edit(core / "sharing" / "formats.py", "_ICS =", TITLES)
    row = '        Format(Form.TITLES, "titles.txt", "text/plain", "titles", "Titles", "a line each", _titles, True),\n'
    _edit(core / "sharing" / "formats.py", "    for one in (\n", f"    for one in (\n{row}")
    assert _run(tmp_path, "share", "render", str(file), "--form", "titles", "--detail", "titles") == "Tide"
