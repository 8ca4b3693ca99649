"""The report of a crossing: what was planned, carried, lost and proved, signed by this installation's key.

A report is JSON; the page holds the same JSON, so that either can be checked anywhere (`check`). `docs/formats.md` says
how what is signed is written, and how the digest of a calendar's content is made.
"""

from __future__ import annotations

import base64
import json
import os
import re
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat, PublicFormat

from datebridge.clock import now
from datebridge.core.crossing.cutover import CutoverStep
from datebridge.core.crossing.options import Options
from datebridge.core.errors import CannotDo
from datebridge.core.ids import AccountId, CrossingId, LaneId
from datebridge.services.crossing.cutover import owner_of
from datebridge.services.crossing.lanes import working_lanes
from datebridge.services.crossing.plans import LaneView, lane_views
from datebridge.services.crossing.verifying import digests_now
from datebridge.settings import Settings
from datebridge.store import crossings, lanes_verified
from datebridge.store import cutover as stored_cutover
from datebridge.store.changesets.review import set_row
from datebridge.store.database import Store
from datebridge.store.fidelity import matrices_of
from datebridge.store.private import open_private
from datebridge.store.tables import Matrix, demand_id

FORMAT = "date-bridge report 1"
#: How many entries of each kind of difference a report names; their number is always said.
_MOST_NAMED = 200
_DATA = re.compile(rb'<script type="application/json" id="report">(.*?)</script>', re.DOTALL)


class NoReport(CannotDo):
    """A file is no report, or its signature does not fit; the message says which."""

    code, title, status = "no-report", "This is not a report of a crossing", 422


def make(store: Store, settings: Settings, crossing: CrossingId, owner: str = "") -> dict[str, Any]:
    """The report of a crossing as of now, signed.

    Args:
        owner: whose calendars it tells of (`cutover.owner_of`); "" for all.

    Raises:
        NoCrossing: if there is none.
        NoReport: if nothing in it belongs to this owner.
    """
    plan, views = lane_views(store, crossing)
    views = [one for one in views if not owner or owner_of(one) == owner]
    if owner and not views:
        raise NoReport("Nothing in this crossing belongs to this owner.")
    with store.session() as session:
        home = AccountId(plan.account_id) if plan.account_id is not None else None
        matrix = next(iter(matrices_of(session, home)), None) if home is not None else None
    document: dict[str, Any] = {
        "format": FORMAT,
        "name": plan.name,
        "made": _moment(now()),
        "options": Options.read(plan.options).as_dict(),
        "fidelity": _fidelity(matrix),
        "lanes": [_lane(store, view) for view in views if view.row.going],
        "left_out": [_name(view) for view in views if not view.row.going],
        "owner": owner.partition(" ")[2] or _accounts(views) if owner else "",
        "sample": {name: plan.sample[name] for name in ("entries", "corrected") if name in plan.sample},
        "cutover": _cutover(store, crossing),
    }
    return sign(settings, document)


def _accounts(views: Sequence[LaneView]) -> str:
    return ", ".join(dict.fromkeys(one.source.account or "here" for one in views if one.source is not None))


def _cutover(store: Store, crossing: CrossingId) -> list[dict[str, Any]]:
    """The steps of the cutover that were taken."""
    with store.session() as session:
        acts = stored_cutover.acts_of(session, crossing)
    return [
        {"step": step.value, "at": _moment(acts[step].at), "by": acts[step].by_whom, "notes": list(acts[step].notes)}
        for step in CutoverStep
        if step in acts
    ]


def _moment(seconds: int | None) -> str:
    return datetime.fromtimestamp(seconds, UTC).strftime("%Y-%m-%dT%H:%M:%SZ") if seconds is not None else ""


def _name(view: LaneView) -> str:
    return view.source.name if view.source is not None else f"calendar {view.row.source_id}"


def _fidelity(matrix: Matrix | None) -> dict[str, Any]:
    if matrix is None:
        return {}
    verdicts = [one["verdict"] for one in matrix.features]
    return {
        "target": matrix.name,
        "measured": _moment(matrix.made_at),
        "verdicts": {verdict: verdicts.count(verdict) for verdict in sorted(set(verdicts))},
    }


def _lane(store: Store, view: LaneView) -> dict[str, Any]:
    lane = LaneId(view.row.id or 0)
    with store.read() as connection:
        kinds = lanes_verified.kinds_of_difference(connection, [lane])
        batches = [row for number in view.batches if (row := set_row(connection, number)) is not None]
        named = {
            kind: [one.title for one in lanes_verified.differences_of(connection, [lane], kind, 0, _MOST_NAMED)]
            for kind in kinds
        }
    verified = dict(view.row.verified)
    return {
        "source": {
            "account": view.source.account if view.source is not None else "",
            "calendar": _name(view),
            "owner": view.source.owner if view.source is not None else "",
        },
        "target": {
            "account": view.target.account if view.target is not None else "",
            "calendar": view.target.name if view.target is not None else view.row.target_name,
        },
        "filter": view.row.filter,
        "options": view.row.options,
        "state": view.row.state or "not carried",
        "archive": {key: view.row.archive[key] for key in ("name", "entries") if key in view.row.archive},
        "message": view.row.message,
        "verified": _moment(view.row.verified_at),
        "counts": {
            name: verified.get(name, 0) for name in ("entries", "there", "same", "explained", "unexplained", "left")
        },
        "months": verified.get("months", {}),
        "digests": verified.get("digests", []),
        "batches": [
            {"batch": row.id, "title": row.title, "at": _moment(row.applied_at), "by": row.by_whom} for row in batches
        ],
        "differences": [
            {
                "verdict": kind.verdict,
                "fields": kind.fields,
                "cause": kind.cause,
                "reason": kind.reason,
                "number": kind.number,
                "entries": named[kind],
            }
            for kind in kinds
        ],
    }


# ---- signed ---------------------------------------------------------------------------------------


def canonical(document: Mapping[str, Any]) -> bytes:
    """What is signed of a report: everything but the signature, as JSON with sorted keys and no spaces, in UTF-8."""
    rest = {name: value for name, value in document.items() if name != "signature"}
    return json.dumps(rest, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode("utf-8", "replace")


def sign(settings: Settings, document: dict[str, Any]) -> dict[str, Any]:
    """A report with this installation's key and signature."""
    key = _key(settings.data_dir / "report.key")
    public = key.public_key().public_bytes(Encoding.Raw, PublicFormat.Raw)
    document = {**document, "key": base64.b64encode(public).decode()}
    return {**document, "signature": base64.b64encode(key.sign(canonical(document))).decode()}


def _key(path: Path) -> Ed25519PrivateKey:
    if not path.is_file():
        made = path.with_suffix(f".{os.getpid()}")
        with open_private(made) as file:
            file.write(Ed25519PrivateKey.generate().private_bytes(Encoding.Raw, PrivateFormat.Raw, NoEncryption()))
        with suppress(FileExistsError):  # whole or not at all, and the first one counts
            os.link(made, path)
        made.unlink()
    try:
        return Ed25519PrivateKey.from_private_bytes(path.read_bytes())
    except ValueError as error:
        raise NoReport(
            f"The key that signs reports, {path}, is damaged. Move it away to have a new one made."
        ) from error


@dataclass(frozen=True, slots=True)
class Checked:
    """A report whose signature fits.

    Attributes:
        key: the key that signed it; `own`: it is the key of this installation, None where that is not known.
        lanes, unexplained: how many lanes it tells of, and how many differences that nobody can explain.
        sides: of each lane whether its ends are still what was signed, where they can be looked at.
    """

    name: str
    made: str
    key: str
    own: bool | None
    lanes: int
    unexplained: int
    sides: list[dict[str, str]]

    def as_dict(self) -> dict[str, object]:
        """As JSON has it."""
        return asdict(self)


def read(data: bytes) -> dict[str, Any]:
    """A report from its page or its JSON.

    Raises:
        NoReport: if it is none.
    """
    inside = _DATA.search(data)
    text = inside[1].replace(b"<\\/", b"</") if inside is not None else data
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise NoReport("This file holds no report that can be read.") from error
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise NoReport(f"This file does not say that it is a report (“{FORMAT}”).")
    return document


def check(data: bytes, store: Store | None = None, settings: Settings | None = None) -> Checked:
    """Whether a report is as it was signed.

    Args:
        store, settings: of an installation that may know both ends, and may have signed it.

    Raises:
        NoReport: if it is none, or is not as it was signed.
    """
    document = read(data)
    try:
        public = Ed25519PublicKey.from_public_bytes(base64.b64decode(str(document.get("key")), validate=True))
        public.verify(base64.b64decode(str(document.get("signature")), validate=True), canonical(document))
    except (ValueError, InvalidSignature) as error:
        raise NoReport("The report is not as it was signed: something in it was changed.") from error
    lanes = document.get("lanes")
    lanes = lanes if isinstance(lanes, list) else []
    own = None
    if settings is not None and (path := settings.data_dir / "report.key").is_file():
        mine = _key(path).public_key().public_bytes(Encoding.Raw, PublicFormat.Raw)
        own = base64.b64encode(mine).decode() == document["key"]
    unexplained = sum(int(lane["counts"]["unexplained"]) for lane in lanes)
    sides = sides_now(store, document) if store is not None else []
    return Checked(
        str(document.get("name")), str(document.get("made")), document["key"], own, len(lanes), unexplained, sides
    )


def sides_now(store: Store, document: Mapping[str, Any]) -> list[dict[str, str]]:
    """Of each lane of a report, whether its ends are still what was signed, as far as they are known here."""
    with store.session() as session:
        plan = next((one for one in crossings.crossings(session) if one.name == document.get("name")), None)
    if plan is None:
        return []
    number = CrossingId(demand_id(plan.id))
    _, views = lane_views(store, number)
    working = {lane.id: lane for lane in working_lanes(store, number)}
    known = {(_name(view), view.row.filter): working.get(LaneId(demand_id(view.row.id))) for view in views}
    sides = []
    for signed in document.get("lanes", []):
        lane = known.get((signed["source"]["calendar"], signed["filter"]))
        if lane is None or lane.target is None or len(signed["digests"]) != 2:
            continue
        now_there = digests_now(store, lane)
        same = [before == after for before, after in zip(signed["digests"], now_there, strict=True)]
        words = ["as signed" if one else "changed since" for one in same]
        sides.append({"lane": signed["source"]["calendar"], "source": words[0], "target": words[1]})
    return sides
