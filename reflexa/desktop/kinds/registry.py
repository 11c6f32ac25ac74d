"""Every kind's view. A view is a module of this folder that has a ``VIEW``: it is found by being there."""

from __future__ import annotations

from reflexa import plugins
from reflexa.desktop.kinds.model import StepView

VIEWS: dict[str, StepView] = {}


def register(view: StepView) -> StepView:
    """Take a view into the list. Raises ValueError where the kind has one already."""
    if view.kind in VIEWS:
        raise ValueError(f"the kind {view.kind!r} has a view already")
    VIEWS[view.kind] = view
    return view


def view_of(kind: str) -> StepView:
    """The view of a kind; a plain one where it has none of its own."""
    return VIEWS.get(kind) or StepView(kind)


def by_hand() -> StepView:
    """The view of the kind that a pull in the picture begins."""
    return next(v for v in VIEWS.values() if v.begins_by_hand)


for _view in plugins.exported("reflexa.desktop.kinds", "VIEW", StepView):
    register(_view)
