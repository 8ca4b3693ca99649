"""The use cases that do jobs. Importing them enters their functions (`jobs.performs`)."""

from datebridge.services.accounts import accounts
from datebridge.services.crossing import closing, filing, letting_in, running, sampling, telling, verifying
from datebridge.services.exports import archive, putting_away
from datebridge.services.fidelity import forecasts, probes
from datebridge.services.imports import read, sheets
from datebridge.services.mend import bulk, duplicates, fixing, reconcile, series, zones
from datebridge.services.running import maintenance
from datebridge.services.sharing import handing
from datebridge.services.sync import pull, push
from datebridge.services.transfer import transfers

__all__ = [
    "accounts",
    "archive",
    "bulk",
    "closing",
    "duplicates",
    "filing",
    "fixing",
    "forecasts",
    "handing",
    "letting_in",
    "maintenance",
    "probes",
    "pull",
    "push",
    "putting_away",
    "read",
    "reconcile",
    "running",
    "sampling",
    "series",
    "sheets",
    "telling",
    "transfers",
    "verifying",
    "zones",
]
