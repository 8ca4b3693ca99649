"""Imported last by the server that tests fork from: what every application makes at its start is made once."""

from __future__ import annotations

import gc

from sqlalchemy.orm import configure_mappers

from datebridge.api.app import operations
from datebridge.api.public import serve

serve.warm()
configure_mappers()
for one in operations():  # each makes what it knows of its parameters when it is first asked for
    one.matches({"type": "http", "method": "GET", "path": "/", "root_path": "", "headers": []})
gc.collect()
gc.freeze()  # what is here stays here, and is shared by all that are forked
