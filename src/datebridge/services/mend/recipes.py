"""Recipes: steps under a name, read from JSON and written as it, kept, imported and exported as files."""

from __future__ import annotations

import json
from dataclasses import asdict

from pydantic import TypeAdapter, ValidationError

from datebridge.core.bulk import CannotChange, Recipe, Step, demand
from datebridge.core.errors import CannotDo
from datebridge.store.database import Connection
from datebridge.store.preferences import forget, keep, kept

_KIND = "recipe"
#: What a file of a recipe says it is.
_FORMAT = "date-bridge recipe 1"
MOST_STEPS = 40
_MOST_OCTETS = 200_000
_STEPS: TypeAdapter[list[Step]] = TypeAdapter(list[Step])


class NoRecipe(CannotDo):
    """What was given is no recipe; the message says where and why."""

    code, title, status = "no-recipe", "This is not a recipe", 422


def read_steps(values: object) -> list[Step]:
    """Steps as JSON has them.

    Raises:
        NoRecipe: if one is unknown or says something it cannot.
        CannotChange: if one could not be done to any entry.
    """
    names = {arg.__dataclass_fields__["do"].default: arg for arg in Step.__args__}
    if not isinstance(values, list):
        raise NoRecipe("The steps are not a list.")
    if len(values) > MOST_STEPS:
        raise NoRecipe(f"These are {len(values):,} steps; {MOST_STEPS} are the most.")
    steps: list[Step] = []
    for number, value in enumerate(values, 1):
        kind = value.get("do") if isinstance(value, dict) else None
        if kind not in names:
            raise NoRecipe(f"Step {number}: “{str(kind)[:40]}” is not a step. Steps: {', '.join(sorted(names))}.")
        try:
            steps.append(TypeAdapter(names[kind]).validate_python(value))
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(map(str, first["loc"])) or "it"
            raise NoRecipe(f"Step {number} ({kind}): {place}: {first['msg']}.") from error
    demand(steps)
    return steps


def as_json(steps: list[Step]) -> list[dict[str, object]]:
    """Steps as JSON has them."""
    return [asdict(step) for step in steps]


def read_file(data: bytes, name: str) -> Recipe:
    """A recipe from a file.

    Raises:
        NoRecipe: if it is none; the message says where and why.
    """
    if len(data) > _MOST_OCTETS:
        raise NoRecipe(f"{name}: it is too large for a recipe.")
    try:
        document = json.loads(data.decode("utf-8-sig"))
    except (ValueError, RecursionError) as error:
        raise NoRecipe(f"{name}: it is not JSON ({str(error)[:80]}).") from error
    if not isinstance(document, dict) or document.get("format") != _FORMAT:
        raise NoRecipe(f"{name}: it does not say that it is a recipe (“format”: “{_FORMAT}”).")
    called = str(document.get("name") or "").strip()[:120] or name.partition(".")[0]
    try:
        return Recipe(called, read_steps(document.get("steps")))
    except (NoRecipe, CannotChange) as error:
        raise NoRecipe(f"{name}: {error}") from error


def write_file(recipe: Recipe) -> bytes:
    """A recipe as a file, which `read_file` takes."""
    document = {"format": _FORMAT, "name": recipe.name, "steps": as_json(recipe.steps)}
    return (json.dumps(document, ensure_ascii=False, indent=2) + "\n").encode()


def all_kept(connection: Connection) -> list[Recipe]:
    """The recipes that are kept, by name; one that a later version wrote and this one cannot read is passed over."""
    recipes = []
    for name, value in kept(connection, _KIND):
        try:
            recipes.append(Recipe(name, read_steps(value.get("steps"))))
        except CannotDo:
            continue
    return recipes


def keep_recipe(connection: Connection, recipe: Recipe) -> None:
    """Keep a recipe under its name, in place of one that was called so."""
    keep(connection, _KIND, recipe.name, {"steps": as_json(recipe.steps)})


def forget_recipe(connection: Connection, name: str) -> None:
    """Keep a recipe no more."""
    forget(connection, _KIND, name)
