"""A database that is damaged is said to be, in words, and nothing of it is touched; backups and what is left of it."""

from __future__ import annotations

import random
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.soundness import CannotOpen, back_up, demand_whole, put_back, rescue
from tests.conftest import Bench, calendar, event
from tests.depth import depth


@pytest.fixture(scope="module")
def sound(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database in use: closed, with everything in one file."""
    bench = Bench(tmp_path_factory.mktemp("sound") / "data")
    bench.bring(calendar(*(event(f"e{k}", f"Berth {k} " * 9) for k in range(400))))
    bench.store.close()
    return bench.settings.database


def texts(database: Path) -> list[str]:
    with closing(Store(database)) as store, store.read() as connection:
        return sorted(connection.exec_driver_sql("SELECT text FROM version_text").scalars())


def refusal(database: Path) -> str:
    """Why a database cannot be opened, "" where it can; what is refused is not touched."""
    before = database.read_bytes()
    try:
        demand_whole(database)
        Store(database).close()
    except CannotOpen as error:
        assert database.read_bytes() == before
        return str(error)
    return ""


def spoilt(sound: Path, folder: Path) -> Iterator[tuple[str, Path]]:
    """Every page written over, every octet of the head, and the file cut: each with what was done to it."""
    octets, chance = sound.read_bytes(), random.Random(7)  # noqa: S311
    size = int.from_bytes(octets[16:18])
    pages = [at * size for at in range(len(octets) // size)]
    some = chance.sample(pages, min(len(pages), depth(60, 10_000)))
    spoils = [(f"page {at // size}", at, chance.randbytes(size)) for at in some]
    spoils += [(f"head {at}", at, bytes([octets[at] ^ 0xFF])) for at in range(100)]
    path = folder / "date-bridge.sqlite"
    for what, at, new in spoils:
        path.write_bytes(octets[:at] + new + octets[at + len(new) :])
        yield what, path
    for left in (0, 1, 99, 100, size, size + 1, len(octets) // 2, len(octets) - 1):
        path.write_bytes(octets[:left])
        yield f"cut to {left}", path


def test_every_damage_is_said_in_words_or_does_no_harm(sound: Path, tmp_path: Path) -> None:
    whole = texts(sound)
    harmless = []
    for what, path in spoilt(sound, tmp_path):
        words = refusal(path)
        if words:
            assert any(said in words for said in ("restore BACKUP", "newer version")), (what, words)
        else:
            harmless.append(what)
            assert texts(path) == whole, what
        for beside in (path.with_name(path.name + "-wal"), path.with_name(path.name + "-shm")):
            beside.unlink(missing_ok=True)
    assert not [what for what in harmless if what.startswith("cut")]


def test_a_backup_is_put_back_and_what_was_there_is_kept(bench: Bench, tmp_path: Path) -> None:
    bench.bring(calendar(event("a", "Berth")))
    copy = tmp_path / "copy.sqlite"
    back_up(bench.settings.database, copy)  # while it is in use
    before = bench.texts()
    bench.bring(calendar(event("b", "Later")))
    bench.store.close()
    aside = put_back(copy, bench.settings.database)
    assert aside is not None
    assert "Later" in "".join(texts(aside))
    assert Bench(bench.settings.data_dir).texts() == before
    copy.write_bytes(copy.read_bytes()[:9_000])
    with pytest.raises(CannotOpen, match="damaged"):
        put_back(copy, bench.settings.database)


def test_what_can_still_be_read_is_rescued(sound: Path, tmp_path: Path) -> None:
    octets = sound.read_bytes()
    size = int.from_bytes(octets[16:18])
    at = octets.index(b"SUMMARY:Berth 200 ") // size * size
    path = tmp_path / "date-bridge.sqlite"
    path.write_bytes(octets[:at] + b"\xaa" * size + octets[at + size :])
    with pytest.raises(CannotOpen):
        demand_whole(path)
    lost: list[int] = []
    ((name, found),) = list(rescue(path, lost.append))
    events = [text for text in found if text.startswith("BEGIN:VEVENT")]
    assert name == "Tides"
    assert (len(events) + sum(lost), 0 < sum(lost) < 60) == (400, True)


def test_nothing_half_made_stands_in_the_place_of_a_database(tmp_path: Path) -> None:
    settings = Settings(data_dir=tmp_path / "data")
    Store(settings.database).close()
    assert [path.name for path in settings.data_dir.iterdir() if ".new-" in path.name] == []
