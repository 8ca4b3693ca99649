"""Cleaning files by a recipe, without a store."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path

from datebridge.core.bulk import Recipe, Subject, SubjectMember, change, needs_series
from datebridge.core.errors import CannotDo
from datebridge.core.index.derive import derive
from datebridge.core.inspection import Inspection, inspect
from datebridge.core.text.reader import RawComponent
from datebridge.core.zones.meaning import NO_ZONES
from datebridge.services.editing.edits import stamp
from datebridge.services.exports.convert import write_calendars


class CannotClean(CannotDo):
    """A file cannot be cleaned; the message says which and why."""

    code, title = "cannot-clean", "The file cannot be cleaned"


@dataclass(slots=True)
class Cleaned:
    """What became of a file; `not_changed`: a UID, and why a step did not apply to its entry."""

    path: str
    out: str
    changed: int = 0
    deleted: int = 0
    kept: int = 0
    not_changed: list[tuple[str, str]] = field(default_factory=list)

    def as_dict(self) -> dict[str, object]:
        """The shape of ``date-bridge clean --json``."""
        told = [{"uid": uid, "why": why} for uid, why in self.not_changed]
        return {
            "path": self.path,
            "out": self.out,
            "changed": self.changed,
            "deleted": self.deleted,
            "kept": self.kept,
            "not_changed": told,
        }


def clean(recipe: Recipe, source: Path, folder: Path | None) -> Cleaned:
    """Write a file as a recipe makes it: into a folder, or beside itself as ``NAME.clean.ics``.

    Raises:
        CannotClean: if there is no calendar data in it.
    """
    with source.open("rb") as opened:
        inspection = inspect(opened, keep=True)
    if not inspection.components:
        raise CannotClean(f"{source.name}: there is no calendar data in it.")
    target = folder / source.name if folder is not None else source.with_name(f"{source.stem}.clean.ics")
    if target.resolve() == source.resolve():
        raise CannotClean(f"{source.name}: it would be written over itself. Name another folder with --out.")
    cleaned = Cleaned(str(source), str(target))
    inspection.components = _components(recipe, inspection, cleaned)
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = target.with_name(target.name + ".part")
    try:
        with partial.open("wb") as out:
            for piece in write_calendars(inspection, source.stem):
                out.write(piece)
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)
    return cleaned


def _components(recipe: Recipe, inspection: Inspection, cleaned: Cleaned) -> list[RawComponent]:
    """The components as they are written, in their order."""
    together, moment = needs_series(recipe.steps), stamp()
    groups: dict[object, list[int]] = {}
    uids: dict[int, str] = {}
    for place, component in enumerate(inspection.components):
        if component.name in ("VCALENDAR", "VTIMEZONE"):
            continue
        uids[place] = uid = derive(
            component.name, component.text, inspection.zones.get(component.calendar, NO_ZONES)
        ).uid
        groups.setdefault((component.calendar, component.name, uid) if together and uid else place, []).append(place)
    texts: dict[int, str | None] = {}
    for places in groups.values():
        members = [SubjectMember(place, inspection.components[place].text) for place in places]
        zones = inspection.zones.get(inspection.components[places[0]].calendar, NO_ZONES)
        for outcome in change(Subject(members, zones, moment), recipe.steps):
            texts[outcome.key] = outcome.text
            left = ("left behind",) if outcome.left else ()
            cleaned.not_changed += [(uids[outcome.key], why) for why in (*outcome.why_not, *left)]
    made = []
    for place, component in enumerate(inspection.components):
        text = texts.get(place, component.text)
        if place in texts:
            cleaned.deleted += text is None
            cleaned.kept += text == component.text
            cleaned.changed += text is not None and text != component.text
        if text is not None:
            made.append(component if text == component.text else replace(component, text=text))
    return made
