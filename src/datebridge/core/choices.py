"""What a person can choose, where more than one place offers it."""

from __future__ import annotations

from typing import Literal

#: What happens where a UID that is copied stands at the target already.
Existing = Literal["skip", "newer", "both"]
#: What stays here when a calendar is switched off.
Keep = Literal["nothing", "snapshot"]
