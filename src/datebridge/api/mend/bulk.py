"""Changes in bulk, and the recipes that are kept of them."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote as encode

from annotated_types import Len
from fastapi import Path, Response
from pydantic import AfterValidator, BaseModel, Discriminator, Field

from datebridge.api.context import AppDep, selection
from datebridge.api.kinds import storable
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued, SelectionIn
from datebridge.clock import this_day
from datebridge.core.bulk import CannotChange, Recipe, Step, demand, step_in_words
from datebridge.core.errors import NotFound
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import resolve_filter
from datebridge.services.exports.export import file_name
from datebridge.services.jobs import jobs
from datebridge.services.mend import recipes

router = new_router("/api", "bulk")


Steps = Annotated[list[Annotated[Step, Discriminator("do")]], Len(max_length=recipes.MOST_STEPS)]
Name = Annotated[str, Path(min_length=1, max_length=120), AfterValidator(storable)]


class StepsIn(BaseModel):
    steps: Steps


class BulkIn(StepsIn):
    """What is to be done to a selection; `name` is that of the recipe, where there is one."""

    selection: SelectionIn
    name: str = Field(default="", max_length=120)


class StepWords(BaseModel):
    says: list[str]
    error: str = Field(description="why they cannot be done as they are; empty where they can")


class RecipeOut(BaseModel):
    name: str
    steps: list[Annotated[Step, Discriminator("do")]]
    says: list[str] = Field(description="each step in a few words")


class RecipeFileIn(BaseModel):
    file: str = Field(max_length=200)
    text: str = Field(max_length=200_000)


@router.post("/bulk-changes")
def bulk(app: AppDep, body: BulkIn) -> JobQueued:
    """Propose a selection as these steps make it."""
    demand(body.steps)
    resolve_filter(body.selection.filter, this_day())  # what is wrong with it is said now, not by the job
    params = {
        **selection(body.selection).as_params(),
        "steps": recipes.as_json(body.steps),
        "name": body.name.strip(),
    }
    return JobQueued(job_id=jobs.enqueue(app.store, JobKind.BULK, "Changing in bulk: making the proposal", params))


@router.post("/bulk-changes/words")
def words(body: StepsIn) -> StepWords:
    """Steps in a few words each, and what is still wrong with one."""
    try:
        demand(body.steps)
        error = ""
    except CannotChange as refused:
        error = str(refused)
    return StepWords(says=[step_in_words(step) for step in body.steps], error=error)


@router.get("/recipes")
def kept(app: AppDep) -> list[RecipeOut]:
    """The recipes that are kept, by name."""
    with app.store.read() as connection:
        return [_out(recipe) for recipe in recipes.all_kept(connection)]


def _out(recipe: Recipe) -> RecipeOut:
    return RecipeOut(name=recipe.name, steps=recipe.steps, says=[step_in_words(step) for step in recipe.steps])


@router.put("/recipes/{name}", status_code=204)
def keep(app: AppDep, name: Name, body: StepsIn) -> None:
    """Keep steps under a name, in place of what was called so."""
    demand(body.steps)
    with app.store.write() as connection:
        recipes.keep_recipe(connection, Recipe(name.strip() or name, body.steps))


@router.delete("/recipes/{name}", status_code=204)
def forget(app: AppDep, name: Name) -> None:
    """Keep a recipe no more."""
    with app.store.write() as connection:
        recipes.forget_recipe(connection, name)


@router.get("/recipes/{name}/file", response_class=Response, responses={200: {"content": {"application/json": {}}}})
def export(app: AppDep, name: Name) -> Response:
    """A recipe as a file, for another place or for `date-bridge clean`."""
    with app.store.read() as connection:
        recipe = next((recipe for recipe in recipes.all_kept(connection) if recipe.name == name), None)
    if recipe is None:
        raise NotFound(f"There is no recipe “{name}”.")
    file = file_name(recipe.name, "recipe.json")
    return Response(
        recipes.write_file(recipe),
        media_type="application/json; charset=utf-8",
        headers={"Content-Disposition": f"attachment; filename*=UTF-8''{encode(file)}"},
    )


@router.post("/recipes/files")
def bring_in(app: AppDep, file: RecipeFileIn) -> RecipeOut:
    """Keep the recipe of a file."""
    recipe = recipes.read_file(file.text.encode("utf-8", "replace"), file.file)
    with app.store.write() as connection:
        recipes.keep_recipe(connection, recipe)
    return _out(recipe)
