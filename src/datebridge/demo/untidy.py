"""What years of programs have left in the old lab diary: one of everything the checks find in what an entry says."""

from __future__ import annotations

from datebridge.core.text.lines import escape_text

_DIAL = "Join by telephone: +354 555 0143, conference 88120, or at https://meet.skerrow.example/88120"
_BELL = ["BEGIN:VALARM", "ACTION:DISPLAY", "DESCRIPTION:Reminder", "TRIGGER:-PT15M", "END:VALARM"]

#: Lines that entries have besides, by the number of the entry.
UNTIDY: dict[int, list[str]] = {
    302: [
        "DESCRIPTION:"
        + escape_text(
            '<p>Filters <b>F3</b> and <b>F4</b>&nbsp;done.</p><p>See the <a href="https://papers.tidewrack.example/f3">sheet</a>.</p>'
        )
    ],
    308: [f"DESCRIPTION:{escape_text(f'Weekly call.{chr(10) * 2}{_DIAL}{chr(10)}----------{chr(10)}{_DIAL}')}"],
    314: [*_BELL, *_BELL],
    320: [line for minutes in (5, 10, 20, 30, 45, 60) for line in (*_BELL[:3], f"TRIGGER:-PT{minutes}M", "END:VALARM")],
    326: [*_BELL[:3], "TRIGGER:PT3H", "END:VALARM"],
    332: [
        "ORGANIZER;CN=Lab Office:lab-office@skerrow.example",
        "ATTENDEE;CN=Jón Dal:mailto:Jón Dal <jon.dal@skerrow.example>",
    ],
    338: ["ATTENDEE;CN=Owen Hale;PARTSTAT=ACCEPTED:mailto:owen.hale@skerrow.example"],
    344: [
        "ATTACH;FMTTYPE=image/png;FILENAME=freezer.png;ENCODING=BASE64;VALUE=BINARY:"
        + "iVBORw0KGgoAAAANSUhEUgAA" * 2_000
    ],
}
