"""What entries of each kind are called."""

from __future__ import annotations

#: By component (RFC 5545 §3.6), several of them.
KINDS = {"VEVENT": "events", "VTODO": "to-dos", "VJOURNAL": "journal entries", "VFREEBUSY": "busy times"}
