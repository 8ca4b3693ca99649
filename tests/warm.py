"""Imported last by the server that tests fork from: what every application makes at its start is made once."""

from __future__ import annotations

import gc

from datebridge.api.public import serve

serve.warm()
gc.collect()
gc.freeze()  # what is here stays here, and is shared by all that are forked
