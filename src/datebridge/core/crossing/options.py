"""What happens to the entries of a crossing on their way: said once for all its lanes, and otherwise for some.

>>> usual = Options(since="2026-01-01", kinds=("VEVENT",))
>>> usual.with_exceptions({"since": ""}).since, usual.filter
('', '-before:2026-01-01 kind:event')
>>> Options.read({"kinds": ["VEVENT"], "of a later version": 1}) == Options(kinds=("VEVENT",))
True
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field, fields, replace
from datetime import date
from typing import Any, Literal, get_args

from datebridge.core.errors import CannotDo
from datebridge.core.language.kinds import KINDS

#: What follows where an entry stands at the target already that no lane brought there.
Standing = Literal["keep", "newer", "replace", "ask"]
#: What becomes of private entries.
Private = Literal["carry", "leave"]
#: How zones are called.
ZoneNaming = Literal["written", "database"]
#: What becomes of what is over.
Past = Literal["leave", "archive"]
_SHORT = {"VEVENT": "event", "VTODO": "todo", "VJOURNAL": "journal"}


class NoPlan(CannotDo):
    """Something in a plan cannot be; the message says what and where."""

    code, title, status = "no-plan", "This cannot be planned so", 422


@dataclass(frozen=True, slots=True)
class Options:
    """What happens on the way.

    Attributes:
        since: a day; only what is not over before it is carried, series that still run always. "" for everything.
        kinds: which kinds of entries are carried; none for all.
        standing: what follows where an entry stands at the target already, and differs.
        zones: how zones are called: as they are written, or as the zone database has it where that means the same.
        past: what becomes of what is over before `since`: it stays behind, or is written into an archive too.
        private: whether private entries are carried.
        tell: the target's server may invite attendees; by default nobody is told.
        steps: changes made on the way, as a recipe has them (`core.bulk.steps`): addresses, zones, categories, …
        remedies: steps for entries that lose something at the target, by feature.
    """

    since: str = ""
    kinds: tuple[str, ...] = ()
    standing: Standing = "ask"
    zones: ZoneNaming = "written"
    past: Past = "leave"
    private: Private = "carry"
    tell: bool = False
    steps: tuple[dict[str, Any], ...] = ()
    remedies: Mapping[str, tuple[dict[str, Any], ...]] = field(default_factory=dict)

    @classmethod
    def read(cls, values: Mapping[str, Any]) -> Options:
        """Options as JSON has them; what a later version says besides is left.

        Raises:
            NoPlan: if one of them cannot be.
        """
        given = {one.name: values[one.name] for one in fields(cls) if one.name in values}
        try:
            if given.get("since"):
                date.fromisoformat(given["since"])
            given["kinds"] = tuple(given.get("kinds", ()))
            given["steps"] = tuple(given.get("steps", ()))
            given["remedies"] = {name: tuple(steps) for name, steps in dict(given.get("remedies") or {}).items()}
        except (TypeError, ValueError) as error:
            raise NoPlan(f"The options of a crossing say something that cannot be: {error}.") from error
        choices = (
            ("standing", get_args(Standing)),
            ("zones", get_args(ZoneNaming)),
            ("past", get_args(Past)),
            ("private", get_args(Private)),
        )
        for name, allowed in choices:
            if given.get(name, allowed[0]) not in allowed:
                raise NoPlan(f"“{given[name]}” is not one of {', '.join(allowed)}.")
        for kind in given["kinds"]:
            if kind not in _SHORT:
                raise NoPlan(f"“{kind}” is no kind of entry that can be carried: {', '.join(_SHORT)}.")
        return cls(**given)

    def as_dict(self) -> dict[str, object]:
        """As JSON has them; only what is not usual."""
        usual = Options()
        return {name: value for name, value in asdict(self).items() if value != getattr(usual, name)}

    def with_exceptions(self, exceptions: Mapping[str, Any]) -> Options:
        """The same for a lane that differs in some of them."""
        if not exceptions:
            return self
        other = Options.read({**exceptions})
        named = {one.name for one in fields(Options)} & exceptions.keys()
        return replace(self, **{name: getattr(other, name) for name in named})

    def criteria(self) -> Iterator[tuple[str, str]]:
        """What is carried, as terms of a filter, each with the words for what is left behind by it."""
        if self.since:
            yield f"-before:{self.since}", self.over
        if self.kinds:
            names = " and ".join(KINDS[kind] for kind in self.kinds)
            yield f"kind:{','.join(_SHORT[kind] for kind in self.kinds)}", f"only {names} are carried"
        if self.private == "leave":
            yield "-private:yes", "private"

    @property
    def over(self) -> str:
        """Why what is over is left behind, in words."""
        return f"over before {self.since}" + ("; goes into an archive" if self.past == "archive" else "")

    @property
    def filter(self) -> str:
        """What is carried, as a filter."""
        return " ".join(term for term, _ in self.criteria())
