"""What a server was seen to do that others do otherwise, and what is done about it: said of an account.

Nothing is decided by it; each answer is met on its own.

>>> says("mkcol-only")
'It does not know MKCALENDAR: calendars are made by extended MKCOL.'
"""

from __future__ import annotations

HABITS: dict[str, str] = {
    "weak-etags": "Its ETags are weak: entries are compared before they are written over, and read back.",
    "restless-etags": "Its ETags change by being read: entries are compared instead.",
    "silent-put": "It does not say what became of what it was sent: entries are read back.",
    "renames": "It has kept entries under other names: they were found again by their UIDs.",
    "withholds": "It did not hand out some entries among others: they were asked for alone.",
    "cut-listings": "It lists a part at a time: the rest was asked for.",
    "short-listings": "It has listed less than there is: nothing was taken for removed, and the rest was found.",
    "absolute-hrefs": "It names everything by whole addresses: their paths count.",
    "escapes": "It escapes what need not be: addresses are compared in one spelling.",
    "other-host": "Its calendars are at another host than its people: writing goes there.",
    "two-homes": "It has several homes for one's calendars: all are looked into.",
    "no-home": "It does not say where one's calendars are: they were found without.",
    "shelf": "It has calendars in collections within the home: these are looked into.",
    "delegates": "Calendars of others are in their homes: found by the groups one belongs to.",
    "lax": "It has entries without UID, or of several UIDs, in one object: each object keeps what it held.",
    "once-a-home": "It takes a UID once among all calendars of a home: what stands in one of them is not copied to"
    " another.",
    "mkcol-only": "It does not know MKCALENDAR: calendars are made by extended MKCOL.",
    "digest-only": "One signs in by Digest: the password itself is not sent.",
    "redirects": "It sends requests on to other paths: they are followed within it.",
    "stale-tokens": "It has refused a token it gave: all entries were compared once more.",
    "no-sync": "It refuses to say what changed: all entries are listed and compared.",
    "no-multiget": "It hands out one entry at a time: each is asked for alone.",
    "small-multiget": "It takes only few entries in one question: more questions are asked.",
    "no-listing": "It refuses to list a calendar: it is queried instead.",
    "http-1.0": "It speaks HTTP/1.0: each request has a connection of its own.",
    "gzip": "It packs its answers.",
    "slow": "It takes its time: more than a sixth of a second for the quickest answer.",
}


def says(habit: str) -> str:
    """A habit in words; "" for one that is not known any more."""
    return HABITS.get(habit, "")
