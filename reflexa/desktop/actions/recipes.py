"""Recipes: kept from a take, put into others, run over many clips."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.dialogs.batch import BatchDialog
from reflexa.desktop.dialogs.keep_recipe import KeepRecipe
from reflexa.desktop.dialogs.parameters import ParametersDialog
from reflexa.desktop.look import theme
from reflexa.desktop.widgets import menus
from reflexa.desktop.widgets.where import ask_where
from reflexa.errors import ReflexaError
from reflexa.formats.files import write_bytes
from reflexa.formats.text import pretty
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.session import recipes
from reflexa.take import Source
from reflexa.take.clips import TAKE
from reflexa.take.recipe import SUFFIX, Recipe, read_recipe, recipe_plain, with_values


def connect(d: Desk) -> None:
    """What the lists and the line ask for."""
    lists = d.clip_panel.recipes
    lists.itemActivated.connect(lambda _: run_over(d, lists.chosen()))
    lists.removal_wanted.connect(lambda name: recipes.remove(d.session, name))
    lists.customContextMenuRequested.connect(lambda at: _menu(d, at))
    d.clip_panel.takes.recipe_dropped.connect(lambda name, take: put_into(d, name, take))
    d.clip_panel.clips.recipe_dropped.connect(lambda name: run_over(d, name))
    d.line.recipe_dropped.connect(lambda name, at: put_into(d, name, d.session.selection.take, at))


# Keeping --------------------------------------------------------------------------------------------------------


def keep(d: Desk) -> None:
    """Ask which steps of the open take are kept, and what stays open."""
    take = d.session.take
    if take is None:
        return
    dialog = KeepRecipe(d.session, take, d.window)
    dialog.accepted.connect(lambda: _kept(d, dialog.recipe))
    d.show(dialog)


def _kept(d: Desk, recipe: Recipe) -> None:
    name = recipes.put(d.session, "save recipe", recipe)
    d.say(f"{name} is saved with the project. Drag it from the Clips view onto takes or clips.")


def import_recipes(d: Desk, paths: list[Path]) -> None:
    """Take recipe files into the project."""
    for path in paths:
        try:
            recipes.put(d.session, "import recipe", read_recipe(path))
        except ReflexaError as e:
            d.show_error(str(e))


def _ask_in(d: Desk) -> None:
    chosen, _ = QFileDialog.getOpenFileNames(d.window, "Recipes", str(Path.home()), f"Recipes (*{SUFFIX})")
    import_recipes(d, [Path(c) for c in chosen])


def write_out(d: Desk, name: str) -> None:
    """Write a recipe to a file of its own, for others and for the command line."""
    recipe = recipes.recipe(d.session, name)
    path = ask_where(d.window, "Export the recipe", name, SUFFIX) if recipe is not None else None
    if recipe is None or path is None:
        return
    try:
        write_bytes(path, pretty(recipe_plain(recipe)).encode(), overwrite=True)
    except ReflexaError as e:
        d.show_error(str(e))
    else:
        d.say(f"{path} written.")


def _rename(d: Desk, name: str) -> None:
    text, good = QInputDialog.getText(d.window, "Rename recipe", "Name", text=name)
    if good:
        recipes.rename(d.session, name, text)


# Using ----------------------------------------------------------------------------------------------------------


def put_into(d: Desk, name: str, take: str, at: int = -1) -> None:
    """Put a recipe's steps into a take; what it leaves open is asked for first."""
    recipe = recipes.recipe(d.session, name)
    if recipe is None or d.session.project.take(take) is None:
        return
    if not recipe.parameters:
        _put(d, recipe, take, at)
        return
    dialog = ParametersDialog(d.session, recipe, take, d.window)
    dialog.accepted.connect(lambda: _put(d, with_values(recipe, dialog.form.values), take, at))
    d.show(dialog)


def _stands_at(d: Desk, take: str, at: int) -> tuple[Clip, Rig] | None:
    """The clip and rig that a step at a place of a take's line is laid on."""
    session, line = d.session, d.session.computed.evaluation
    if line is not None and line.take is session.project.take(take):
        return line.clips[at], line.rigs[at]
    clips = session.clips
    return d.wait(f"Computing {take}", lambda _: clips[f"{TAKE}{take}"])


def _put(d: Desk, recipe: Recipe, take: str, at: int) -> None:
    on = _stands_at(d, take, at)
    if on is None:
        return
    try:
        left_out = recipes.put_into(d.session, take, recipe, on, at)
    except ReflexaError as e:
        d.show_error(str(e))
        return
    if left_out:
        d.inform(f"{recipe.name} was added to {take}, except for:\n" + "\n".join(left_out))
    else:
        d.say(f"{recipe.name} was added to {take}.")


def run_over(d: Desk, name: str) -> None:
    """Show the batch of a recipe over the selected clips."""
    recipe, sources = recipes.recipe(d.session, name), d.clip_panel.chosen()
    if recipe is None:
        return
    if not sources:
        d.say("Select clips in the list above first (Ctrl or Shift: several), then run the recipe.")
        return
    show_batch_of(d, recipe, sources)


def show_batch_of(d: Desk, recipe: Recipe, sources: list[Source]) -> None:
    """Show a new batch in the place of the one before; while that one runs, it is shown instead."""
    if d.batch is not None and d.batch.batch.running:
        d.say("Another recipe is running. Wait for it, or stop it first.")
        _show_batch(d)
        return
    if d.batch is not None:
        d.batch.forget()
    d.batch = BatchDialog(d.session, recipe, sources, d.window)
    d.batch.show()


def _show_batch(d: Desk) -> None:
    if d.batch is not None:
        d.batch.show()
        d.batch.raise_()
        d.batch.activateWindow()


def _menu(d: Desk, at: QPoint) -> None:
    item = d.clip_panel.recipes.itemAt(at)
    if item is None:
        return
    name, menu = d.clip_panel.recipes.chosen(), QMenu(d.clip_panel)
    take, clips = d.session.selection.take, len(d.clip_panel.chosen())
    if take:
        menu.addAction(f"Put into {take}", partial(put_into, d, name, take))
    what = f"{clips} clips" if clips > 1 else "the selected clip"
    menu.addAction(f"Run over {what}…" if clips else "Run over clips…", partial(run_over, d, name))
    menu.addSeparator()
    menu.addAction("Rename…", partial(_rename, d, name))
    menu.addAction("Export…", partial(write_out, d, name))
    menu.addAction(theme.icon("delete"), "Remove", partial(recipes.remove, d.session, name))
    menus.show(menu, d.clip_panel.recipes.viewport().mapToGlobal(at))


def _no_steps(d: Desk) -> str:
    return needs.take(d) or ("" if d.session.take and d.session.take.steps else "the take has no steps")


def _none_chosen(d: Desk) -> str:
    if not d.session.project.recipes:
        return "there is no recipe yet"
    return "" if d.clip_panel.recipes.chosen() else "select a recipe in the Clips view first"


def _cannot_run(d: Desk) -> str:
    return _none_chosen(d) or needs.chosen_clips(d)


def _no_batch(d: Desk) -> str:
    return "" if d.batch is not None and d.batch.batch.here else "no recipe was run yet"


_MENU = "Take/5/Recipes"
COMMANDS = (
    Command("keep_recipe", "Save steps as a recipe…", _MENU, keep, "Ctrl+Alt+K", _no_steps),
    Command("put_recipe", "Add the recipe to the take", _MENU,
            lambda d: put_into(d, d.clip_panel.recipes.chosen(), d.session.selection.take), "Ctrl+Alt+J",
            lambda d: needs.take(d) or _none_chosen(d)),
    Command("run_recipe", "Run the recipe over the selected clips…", _MENU, lambda d: run_over(d, d.clip_panel.recipes.chosen()),
            "Ctrl+Alt+R", _cannot_run),
    Command("show_batch", "Continue the recipe over clips", _MENU, _show_batch, "F6", _no_batch),
    Command("recipe_in", "Import a recipe…", _MENU, _ask_in),
    Command("recipe_out", "Export the recipe…", _MENU, lambda d: write_out(d, d.clip_panel.recipes.chosen()), "",
            _none_chosen),
)  # fmt: skip
