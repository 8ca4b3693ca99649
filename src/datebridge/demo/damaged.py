"""A file with one of nearly everything a file can have wrong."""

from __future__ import annotations

from datetime import date, timedelta


def damaged_log(today: date) -> bytes:
    """The mooring log, as an old program left it after a disk had filled up. Not UTF-8 everywhere."""
    day = f"{today:%Y%m%d}"
    later = f"{today + timedelta(days=2):%Y%m%d}"
    good = [
        f"BEGIN:VEVENT\r\nUID:mooring-{n:02d}@skerrow.example\r\nDTSTAMP:20260105T080000Z\r\n"
        f"DTSTART:{today + timedelta(days=n - 20):%Y%m%d}T100000Z\r\nDTEND:{today + timedelta(days=n - 20):%Y%m%d}T113000Z\r\n"
        f"SUMMARY:Mooring {n} inspected\r\nX-TIDEWRACK-CHAIN:{n * 3}\r\nEND:VEVENT\r\n"
        for n in range(40)
    ]
    head = "Export of Tidewrack, disk full warning ignored\r\nBEGIN:VCALENDAR\r\nVERSION:2.0\r\nX-WR-CALNAME:Mooring log\r\n"
    broken = [
        f"BEGIN:VEVENT\r\nUID:impossible@skerrow.example\r\nDTSTART:{today.year}0230T090000Z\r\nSUMMARY:Chain swap\r\nEND:VEVENT\r\n",
        f"BEGIN:VEVENT\r\nUID:backwards@skerrow.example\r\nDTSTART:{later}T090000Z\r\nDTEND:{day}T090000Z\r\nSUMMARY:Tow out\r\nEND:VEVENT\r\n",
        f"BEGIN:VEVENT\r\nUID:both@skerrow.example\r\nDTSTART:{day}T120000Z\r\nDTEND:{day}T130000Z\r\nDURATION:PT2H\r\n"
        "SUMMARY:Diver briefing\r\nEND:VEVENT\r\n",
        f"BEGIN:VEVENT\r\nDTSTART:{day}T140000Z\r\nSUMMARY:An event without a UID\r\nEND:VEVENT\r\n",
        "BEGIN:VEVENT\r\nUID:nowhen@skerrow.example\r\nSUMMARY:When was this?\r\nEND:VEVENT\r\n",
        f"BEGIN:VEVENT\r\nUID:rule@skerrow.example\r\nDTSTART:{day}T150000Z\r\nRRULE:FREQ=FORTNIGHTLY\r\nSUMMARY:Grease run\r\nEND:VEVENT\r\n",
        f"BEGIN:VEVENT\r\nUID:twin@skerrow.example\r\nDTSTART:{day}T160000Z\r\nSUMMARY:Twin one\r\nEND:VEVENT\r\n",
        f"BEGIN:VEVENT\r\nUID:twin@skerrow.example\r\nDTSTART:{day}T170000Z\r\nSUMMARY:Twin two\r\nEND:VEVENT\r\n",
        f"BEGIN:VEVENT\r\nUID:zone@skerrow.example\r\nDTSTART;TZID=Harbour clock:{day}T080000\r\nSUMMARY:Gauge reading\r\n"
        "this line lost its place\r\nEND:VEVENT\r\n",
        f"BEGIN:VTODO\r\nUID:misplaced@skerrow.example\r\nDTSTART:{day}T080000Z\r\nDTEND:{day}T090000Z\r\nSUMMARY:Order shackles\r\n"
        "END:VTODO\r\n",
        f"BEGIN:VEVENT\r\nUID:open@skerrow.example\r\nDTSTART:{day}T180000Z\r\nSUMMARY:No end line\r\n",
        f"BEGIN:VEVENT\r\nUID:crossed@skerrow.example\r\nDTSTART:{day}T190000Z\r\nSUMMARY:Crossed\r\nBEGIN:VALARM\r\n"
        "TRIGGER:-PT5M\r\nEND:VEVENT\r\nEND:VALARM\r\n",
    ]
    latin = f"BEGIN:VEVENT\r\nUID:latin@skerrow.example\r\nDTSTART:{day}T200000Z\r\nSUMMARY:Pála og Jón skoða bauju\r\nEND:VEVENT\r\n"
    cut_off = f"BEGIN:VEVENT\r\nUID:cut@skerrow.example\r\nDTSTART:{day}T210000Z\r\nSUMMARY:Cut o"
    return (head + "".join(good) + "".join(broken)).encode() + latin.encode("cp1252") + cut_off.encode()
