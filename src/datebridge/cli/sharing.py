"""The command line for shares: what readers would get of files, and shares listed, made, taken back."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from datebridge.cli.accounts import Data, Json, Open
from datebridge.cli.output import CANNOT, OK, error, say, table
from datebridge.core.choices import Besides, Detail, Form, Guarded

if TYPE_CHECKING:
    from datebridge.core.sharing.gathering import SharedContent
    from datebridge.core.sharing.terms import Terms

app = typer.Typer(
    help="Shares: list them, make one, take one back; and see what readers would get of files.", rich_markup_mode=None
)
DetailOption = Annotated[Detail, typer.Option(help="The level of detail.")]
Private = Annotated[Guarded, typer.Option(help="What to do with private entries.")]
Confidential = Annotated[
    Guarded | None, typer.Option(help="What to do with confidential entries.", show_default="as private ones")
]
With = Annotated[list[Besides] | None, typer.Option("--with", help="What to share in addition; can be repeated.")]
BusyTitle = Annotated[str, typer.Option("--busy-title", help="The title of busy times; empty for no title.")]


def _terms(
    detail: Detail, private: Guarded, confidential: Guarded | None, besides: list[Besides] | None, busy_title: str
) -> Terms:
    from datebridge.core.sharing.terms import Terms

    ticked = {option.value: True for option in besides or ()}
    return Terms(detail, busy_title, private, private if confidential is None else confidential, **ticked)


@app.command("render")
def render_files(
    files: Annotated[list[Path], typer.Argument(metavar="FILE…", help="iCalendar files.", show_default=False)],
    detail: DetailOption = Detail.BUSY,
    private: Private = Guarded.LEAVE_OUT,
    confidential: Confidential = None,
    form: Annotated[Form, typer.Option(help="The format.")] = Form.FEED,
    besides: With = None,
    busy_title: BusyTitle = "Busy",
    title: Annotated[str, typer.Option(help="The title that readers see.", show_default="the calendar's name")] = "",
    zone: Annotated[str, typer.Option(help="The zone of the page and of busy times.")] = "UTC",
    out: Annotated[Path | None, typer.Option(help="The file to write.", show_default="to the standard output")] = None,
    as_json: Json = False,
) -> None:
    """Give of files what readers of such a share would get, by the very code that serves them."""
    from datebridge.core.sharing.privacy_warnings import privacy_warnings
    from datebridge.services.look.details import is_zone

    if not is_zone(zone):
        error(f"“{zone}” is not a time zone.")
        raise SystemExit(CANNOT)
    content, names, secret = _gathered(files, _terms(detail, private, confidential, besides, busy_title))
    called = title or next(iter(names.values()), "Calendar")
    body = _rendered(content, called, names, secret, form, zone)
    warnings = privacy_warnings(content)
    if out is not None:
        out.write_bytes(body)
    elif not as_json:
        sys.stdout.buffer.write(body)
        sys.stdout.flush()
    if as_json:
        left_out = sum(content.left_out.values())
        print(
            json.dumps(
                {
                    "entries": content.considered,
                    "given": len(content.entries),
                    "as_busy": content.as_busy,
                    "left_out": left_out,
                    "out": str(out) if out is not None else None,
                    "why": dict(content.left_out),
                    "warnings": [
                        {"what": warning.what, "entries": warning.entries, "found": warning.found}
                        for warning in warnings
                    ],
                },
                ensure_ascii=False,
            )
        )
    else:
        print(f"{content.in_words}.", file=sys.stderr)
        for warning in warnings:
            where = f"in what is given, such as “{warning.found}” in “{warning.title}”"
            print(f"{warning.entries:,} seem to hold {warning.what} {where}.", file=sys.stderr)
    raise SystemExit(OK)


def _gathered(files: list[Path], terms: Terms) -> tuple[SharedContent, dict[int, str], bytes]:
    """What is given of files, the names of their calendars, and what names are made by."""
    import hashlib

    from datebridge.core.index.derive import derive
    from datebridge.core.sharing.gathering import gather, source_of
    from datebridge.core.text.headers import description_of
    from datebridge.core.text.reader import Reader
    from datebridge.core.text.source import open_bytes
    from datebridge.core.zones.meaning import Zones

    whole = hashlib.sha256()
    zones: dict[int, Zones] = {}
    names: dict[int, str] = {}
    headers: dict[int, str] = {}
    sources = []
    for path in files:
        data = path.read_bytes()
        whole.update(data)
        components = list(Reader(open_bytes(data)))
        first = max(zones, default=0) + 1
        for component in components:
            own = zones.setdefault(first + component.calendar, Zones())
            if component.name == "VTIMEZONE":
                own.add(derive("VTIMEZONE", component.text).uid, component.text)
            elif component.name == "VCALENDAR":
                names[first + component.calendar] = description_of(component.text).name or path.stem
                headers[first + component.calendar] = component.text
        sources += [
            source_of(component.name, component.text, first + component.calendar, zones[first + component.calendar])
            for component in components
            if component.name not in ("VTIMEZONE", "VCALENDAR")
        ]
        for number in zones:
            names.setdefault(number, path.stem)
    secret = whole.digest()
    return gather(sources, zones, terms, secret, headers=headers), names, secret


def _rendered(given: SharedContent, title: str, names: dict[int, str], secret: bytes, form: Form, zone: str) -> bytes:
    from datebridge.services.sharing.plans import Plan, today_in
    from datebridge.services.sharing.render_cache import make

    plan = Plan(title, given.terms, zone=zone, interval=0, secret=secret)
    today = today_in(zone)
    if form is not Form.PAGE:
        return make(given, plan, form, today)
    from datebridge.api.public.pages import standing_alone
    from datebridge.core.sharing.page_data import PageData

    calendar_names = {} if given.terms.detail is Detail.BUSY else names
    return standing_alone(PageData(given, secret, calendar_names), title, zone, today).encode("utf-8", "replace")


@app.command("list")
def listed(data: Data = None, as_json: Json = False) -> None:
    """List the shares with their readers."""
    from datebridge.api.share.present import in_words
    from datebridge.services.sharing.plans import terms_of
    from datebridge.store import shares
    from datebridge.store.calendars import names

    with Open(data) as opened, opened.store.session() as session:
        owners = {role.id: role.name for role in shares.roles(session)}
        readers = shares.readers(session)
        called = {int(number): name for number, name in names(session.connection()).items()}
        rows: list[dict[str, Any]] = [
            {
                "id": share.id,
                "title": share.title,
                "owner": owners[share.role_id],
                "gives": in_words(terms_of(share.terms)),
                "calendars": [called.get(number, "") for number in share.calendars],
                "filter": share.filter,
                "forms": share.forms,
                "fixed": share.fixed_at is not None,
                "readers": [
                    {"id": r.id, "name": r.name or "everybody", "taken_back": r.ended_at is not None}
                    for r in readers
                    if r.share_id == share.id
                ],
            }
            for share in shares.shares(session)
        ]
    if as_json:
        print(json.dumps({"shares": rows}, ensure_ascii=False))
    else:
        table(
            ("", "Title", "Owner", "Gives", "Forms", "Readers"),
            [
                (
                    str(row["id"]),
                    str(row["title"]),
                    str(row["owner"]),
                    str(row["gives"]),
                    ", ".join(row["forms"]),
                    ", ".join(r["name"] for r in row["readers"] if not r["taken_back"]),
                )
                for row in rows
            ],
        )


@app.command("make")
def make_share(
    title: Annotated[str, typer.Argument(help="The title, as readers see it.", show_default=False)],
    owner: Annotated[str, typer.Option(help="The role that owns the share.")],
    calendar: Annotated[list[str] | None, typer.Option(help="The name of a calendar; can be repeated.")] = None,
    filter: Annotated[str, typer.Option(help="A filter in place of whole calendars.")] = "",
    contact: Annotated[str, typer.Option(help="The contact for readers.")] = "",
    detail: DetailOption = Detail.BUSY,
    private: Private = Guarded.LEAVE_OUT,
    confidential: Confidential = None,
    besides: With = None,
    busy_title: BusyTitle = "Busy",
    form: Annotated[list[Form] | None, typer.Option(help="A format; can be repeated.")] = None,
    zone: Annotated[str, typer.Option(help="The zone of the page and of busy times.")] = "UTC",
    fixed: Annotated[bool, typer.Option("--fixed", help="Share the present state only.")] = False,
    to: Annotated[
        list[str] | None,
        typer.Option(help="The name of a reader; each gets a separate address.", show_default="everybody"),
    ] = None,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Make a share and give it to readers. Their addresses are told this once."""
    from datebridge.services.sharing import shares
    from datebridge.services.sharing.addresses import address_of
    from datebridge.store.calendars import names
    from datebridge.store.entries.ledger import Ledger

    with Open(data) as opened:
        with opened.store.read() as connection:
            calendars = {name.lower(): number for number, name in names(connection, live=True).items()}
        missing = [one for one in calendar or () if one.lower() not in calendars]
        if missing:
            raise shares.CannotShare(f"There is no calendar “{missing[0]}”.")
        forms = tuple(form or (Form.FEED, Form.PAGE))
        wanted = shares.Wanted(
            title,
            owner,
            contact,
            tuple(calendars[one.lower()] for one in calendar or ()),
            filter,
            _terms(detail, private, confidential, besides, busy_title),
            forms,
            zone,
            fixed=fixed,
        )
        number = shares.make(opened.store, Ledger(opened.store), wanted)
        told: list[dict[str, Any]] = []
        for name in to or [""]:
            _, token = shares.add_reader(opened.store, number, name)
            told.append({"reader": name or "everybody", "address": address_of(opened.settings, token)})
    if as_json:
        print(json.dumps({"id": number, "readers": told}, ensure_ascii=False))
    else:
        say(f"Share {number}, “{title}”. These addresses are shown only once:")
        for one in told:
            say(f"  {one['reader']}: {one['address']}")


@app.command("revoke")
def revoke(
    share: Annotated[int, typer.Argument(help="The number of the share.", show_default=False)],
    reader: Annotated[
        str, typer.Option(help="One reader by name, “everybody” for the open address.", show_default="all of it")
    ] = "",
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Take a share back, as a whole or from one reader. Their addresses answer so at once."""
    from datebridge.services.sharing import shares
    from datebridge.store import shares as kept

    with Open(data) as opened:
        if reader:
            with opened.store.session() as session:
                readers = [
                    one.id
                    for one in kept.readers(session, share)
                    if (one.name or "everybody").lower() == reader.lower() and one.ended_at is None
                ]
            if not readers:
                raise shares.NoShare(f"{reader} is not a reader of share {share}.")
            shares.take_back(opened.store, int(readers[0] or 0))
        else:
            shares.end(opened.store, share)
    if as_json:
        print(json.dumps({"share": share, "reader": reader or None, "taken_back": True}))
    else:
        say(f"The access of {reader} is revoked." if reader else f"Share {share} is revoked.")
