"""What a simulated calendar server keeps: people, calendars, objects, and what changed when. One SQLite file each."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

_SCHEMA = """
CREATE TABLE IF NOT EXISTS person (name TEXT PRIMARY KEY, password TEXT, title TEXT, address TEXT);
CREATE TABLE IF NOT EXISTS collection (id INTEGER PRIMARY KEY, owner TEXT, slug TEXT, name TEXT, colour TEXT,
  description TEXT, zone TEXT, position INTEGER, components TEXT, revision INTEGER DEFAULT 1, UNIQUE (owner, slug));
CREATE TABLE IF NOT EXISTS share (collection INTEGER, person TEXT, access TEXT, PRIMARY KEY (collection, person));
CREATE TABLE IF NOT EXISTS object (collection INTEGER, name TEXT, uid TEXT, component TEXT, etag TEXT, data BLOB,
  revision INTEGER, PRIMARY KEY (collection, name)) WITHOUT ROWID;
CREATE INDEX IF NOT EXISTS object_uid ON object (uid);
CREATE INDEX IF NOT EXISTS object_revision ON object (collection, revision);
CREATE TABLE IF NOT EXISTS gone (collection INTEGER, name TEXT, revision INTEGER, PRIMARY KEY (collection, name));
CREATE TABLE IF NOT EXISTS dead (collection INTEGER, name TEXT, value TEXT, PRIMARY KEY (collection, name));
CREATE TABLE IF NOT EXISTS attachment (id TEXT PRIMARY KEY, owner TEXT, name TEXT, media TEXT, data BLOB);
CREATE TABLE IF NOT EXISTS notice (id INTEGER PRIMARY KEY, person TEXT, data BLOB);
"""


@dataclass(frozen=True, slots=True)
class Collection:
    """A calendar. `revision` rises with every change in it and is what tokens and tags are made of."""

    id: int
    owner: str
    slug: str
    name: str
    colour: str
    description: str
    zone: str
    position: int
    components: str
    revision: int


@dataclass(frozen=True, slots=True)
class Stored:
    """A calendar object resource (RFC 4791 §4.1)."""

    name: str
    uid: str
    component: str
    etag: str
    data: bytes
    revision: int


@dataclass(frozen=True, slots=True)
class Attachment:
    """An attachment that the server keeps by itself (RFC 8607)."""

    id: str
    owner: str
    name: str
    media: str
    data: bytes


class Records:
    """The store of one server."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._db = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
        self._db.execute("PRAGMA journal_mode=WAL")
        self._db.execute("PRAGMA synchronous=OFF")
        self._db.executescript(_SCHEMA)

    def close(self) -> None:
        self._db.close()

    # ---- people and calendars --------------------------------------------------------------------

    def add_person(self, name: str, password: str, title: str, address: str) -> None:
        self._db.execute("INSERT OR REPLACE INTO person VALUES (?, ?, ?, ?)", (name, password, title, address))

    def person(self, name: str) -> tuple[str, str, str, str] | None:
        row: tuple[str, str, str, str] | None
        row = self._db.execute("SELECT * FROM person WHERE name = ?", (name,)).fetchone()
        return row

    def people(self) -> list[str]:
        return [name for (name,) in self._db.execute("SELECT name FROM person ORDER BY name")]

    def add_collection(
        self,
        owner: str,
        slug: str,
        name: str,
        colour: str = "",
        description: str = "",
        zone: str = "",
        components: str = "VEVENT,VTODO,VJOURNAL",
    ) -> Collection:
        position = self._db.execute("SELECT count(*) FROM collection WHERE owner = ?", (owner,)).fetchone()[0]
        self._db.execute(
            "INSERT INTO collection (owner, slug, name, colour, description, zone, position, components)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (owner, slug, name, colour, description, zone, position, components),
        )
        collection = self.collection(owner, slug)
        assert collection is not None  # noqa: S101  (just added)
        return collection

    def collection(self, owner: str, slug: str) -> Collection | None:
        row = self._db.execute("SELECT * FROM collection WHERE owner = ? AND slug = ?", (owner, slug)).fetchone()
        return Collection(*row) if row else None

    def shared_with(self, collection: Collection) -> list[tuple[str, str]]:
        """Who else may see a calendar, with ``read`` or ``write``."""
        asked = "SELECT person, access FROM share WHERE collection = ? ORDER BY person"
        rows = self._db.execute(asked, (collection.id,))
        return [(str(person), str(access)) for person, access in rows]

    def share_alone(self, collection: Collection, shares: dict[str, str]) -> None:
        """Share a calendar with these, and nobody else."""
        self._db.execute("DELETE FROM share WHERE collection = ?", (collection.id,))
        for person, access in shares.items():
            self.share(collection, person, access)

    def share(self, collection: Collection, person: str, access: str) -> None:
        """Let another person read (``read``) or read and write (``write``) a calendar."""
        self._db.execute("INSERT OR REPLACE INTO share VALUES (?, ?, ?)", (collection.id, person, access))

    def calendars_of(self, person: str) -> list[tuple[Collection, str]]:
        """A person's own calendars, then those shared with them; with ``own``, ``read`` or ``write``."""
        own = self._db.execute("SELECT * FROM collection WHERE owner = ? ORDER BY position", (person,)).fetchall()
        shared = self._db.execute(
            "SELECT c.*, s.access FROM share s JOIN collection c ON c.id = s.collection WHERE s.person = ?"
            " ORDER BY c.id",
            (person,),
        ).fetchall()
        return [(Collection(*row), "own") for row in own] + [(Collection(*row[:-1]), row[-1]) for row in shared]

    def access(self, person: str, collection: Collection) -> str:
        if collection.owner == person:
            return "own"
        asked = "SELECT access FROM share WHERE collection = ? AND person = ?"
        return next((access for (access,) in self._db.execute(asked, (collection.id, person))), "")

    def set_properties(self, collection: Collection, values: dict[str, str]) -> None:
        for name, value in values.items():
            self._db.execute(f"UPDATE collection SET {name} = ? WHERE id = ?", (value, collection.id))
        self._touch(collection.id)

    def drop_collection(self, collection: Collection) -> None:
        for table, column in (
            ("object", "collection"),
            ("gone", "collection"),
            ("share", "collection"),
            ("dead", "collection"),
            ("collection", "id"),
        ):
            self._db.execute(f"DELETE FROM {table} WHERE {column} = ?", (collection.id,))

    def _touch(self, collection: int) -> int:
        return int(
            self._db.execute(
                "UPDATE collection SET revision = revision + 1 WHERE id = ? RETURNING revision", (collection,)
            ).fetchone()[0]
        )

    # ---- objects ---------------------------------------------------------------------------------

    def objects(self, collection: Collection) -> Iterator[Stored]:
        for row in self._db.execute(
            "SELECT name, uid, component, etag, data, revision FROM object WHERE collection = ? ORDER BY name",
            (collection.id,),
        ):
            yield Stored(*row)

    def etags(self, collection: Collection) -> list[tuple[str, str]]:
        return self._db.execute(
            "SELECT name, etag FROM object WHERE collection = ? ORDER BY name", (collection.id,)
        ).fetchall()

    def object(self, collection: Collection, name: str) -> Stored | None:
        row = self._db.execute(
            "SELECT name, uid, component, etag, data, revision FROM object WHERE collection = ? AND name = ?",
            (collection.id, name),
        ).fetchone()
        return Stored(*row) if row else None

    def where_uid(self, owner: str, uid: str) -> list[tuple[Collection, str]]:
        """Where in a person's home an UID stands: calendar and object name."""
        rows = self._db.execute(
            "SELECT c.*, o.name FROM object o JOIN collection c ON c.id = o.collection WHERE o.uid = ? AND c.owner = ?",
            (uid, owner),
        ).fetchall()
        return [(Collection(*row[:-1]), row[-1]) for row in rows]

    def put(self, collection: Collection, name: str, data: bytes, uid: str, component: str) -> str:
        """Keep an object; returns its new ETag."""
        revision = self._touch(collection.id)
        etag = f'"{revision}-{hashlib.blake2b(data, digest_size=6).hexdigest()}"'
        self._db.execute(
            "INSERT OR REPLACE INTO object VALUES (?, ?, ?, ?, ?, ?, ?)",
            (collection.id, name, uid, component, etag, data, revision),
        )
        self._db.execute("DELETE FROM gone WHERE collection = ? AND name = ?", (collection.id, name))
        return etag

    def delete(self, collection: Collection, name: str) -> None:
        revision = self._touch(collection.id)
        self._db.execute("DELETE FROM object WHERE collection = ? AND name = ?", (collection.id, name))
        self._db.execute("INSERT OR REPLACE INTO gone VALUES (?, ?, ?)", (collection.id, name, revision))

    def since(self, collection: Collection, revision: int) -> list[tuple[int, str, str]]:
        """What changed after a revision, in order: revision, object name, its ETag or "" where it is gone."""
        return self._db.execute(
            "SELECT revision, name, etag FROM object WHERE collection = :c AND revision > :r UNION ALL"
            " SELECT revision, name, '' FROM gone WHERE collection = :c AND revision > :r ORDER BY 1",
            {"c": collection.id, "r": revision},
        ).fetchall()

    # ---- attachments (RFC 8607) ------------------------------------------------------------------

    def attach(self, one: Attachment) -> None:
        row = (one.id, one.owner, one.name, one.media, one.data)
        self._db.execute("INSERT INTO attachment VALUES (?, ?, ?, ?, ?)", row)

    def attachment(self, number: str) -> Attachment | None:
        row = self._db.execute("SELECT * FROM attachment WHERE id = ?", (number,)).fetchone()
        return Attachment(*row) if row else None

    def count(self) -> int:
        """How many attachments there are."""
        return int(self._db.execute("SELECT count(*) FROM attachment").fetchone()[0])

    # ---- properties nobody here knows (RFC 4918 §4.1), and messages in inboxes --------------------

    def dead(self, collection: Collection) -> dict[str, str]:
        """A calendar's dead properties: their XML by name."""
        rows = self._db.execute("SELECT name, value FROM dead WHERE collection = ? ORDER BY name", (collection.id,))
        return dict(rows.fetchall())

    def set_dead(self, collection: Collection, name: str, value: str | None) -> None:
        """Keep a dead property, or drop it where there is no value."""
        self._db.execute("DELETE FROM dead WHERE collection = ? AND name = ?", (collection.id, name))
        if value is not None:
            self._db.execute("INSERT INTO dead VALUES (?, ?, ?)", (collection.id, name, value))

    def leave(self, person: str, data: bytes) -> None:
        """Lay a message into somebody's inbox."""
        self._db.execute("INSERT INTO notice (person, data) VALUES (?, ?)", (person, data))

    def notices(self, person: str) -> list[tuple[str, bytes]]:
        """The messages in somebody's inbox: name and bytes."""
        rows = self._db.execute("SELECT id, data FROM notice WHERE person = ? ORDER BY id", (person,))
        return [(f"{number}.ics", data) for number, data in rows]

    def take_out(self, person: str, name: str) -> None:
        self._db.execute("DELETE FROM notice WHERE person = ? AND id || '.ics' = ?", (person, name))

    def person_at(self, address: str) -> str:
        """Who has a mail address; "" for nobody here."""
        asked = "SELECT name FROM person WHERE address = ? COLLATE NOCASE"
        return next((name for (name,) in self._db.execute(asked, (address,))), "")
