"""Calendar data in the form it is kept in: iCalendar in UTF-8, whatever form and charset it came in.

>>> as_calendar("SUMMARY:Прилив".encode("cp1251"), "text/calendar; charset=windows-1251").decode()
'SUMMARY:Прилив'
"""

from __future__ import annotations

import codecs
import json
from email.message import Message

from datebridge.core.text.jcal import NotJcal, from_jcal

#: What is called by the first name is mostly written in the second, which has all of it and more.
_WIDER = {"gb2312": "gb18030", "gbk": "gb18030", "shift_jis": "cp932", "iso8859-1": "cp1252", "euc_kr": "cp949"}
#: Charsets that look like ASCII.
_DISGUISED = ("iso2022", "utf-7", "hz", "utf-16", "utf-32")
_JCAL = "application/calendar+json"


def as_calendar(data: bytes, content_type: str = "") -> bytes:
    """What came, in UTF-8 (RFC 5545 §8.1), as iCalendar where it was jCal (RFC 7265).

    What is UTF-8 is left as it is: many servers announce another charset than they use. So is what cannot be read.
    """
    head = data[:64].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head[:1] == b"[" and (b"vcalendar" in head.lower() or content_type.lower().startswith(_JCAL)):
        return _from_json(data)
    announced = Message()
    announced["Content-Type"] = content_type or "text/calendar"
    charset = str(announced.get_param("charset") or "").strip().lower()
    try:
        name = codecs.lookup(charset).name if charset else "utf-8"
        if name in ("utf-8", "ascii") or (not name.startswith(_DISGUISED) and _is_utf8(data)):
            return data
        return data.decode(_WIDER.get(name, name)).encode()
    except (LookupError, ValueError):
        return data


def _is_utf8(data: bytes) -> bool:
    try:
        data.decode()
    except UnicodeDecodeError:
        return False
    return True


def _from_json(data: bytes) -> bytes:
    try:
        document = json.loads(data)
        whole = document if document and isinstance(document[0], list) else [document]
        return "".join(from_jcal(one).replace("\n", "\r\n") + "\r\n" for one in whole).encode()
    except (ValueError, TypeError, LookupError, RecursionError, NotJcal):
        return data
