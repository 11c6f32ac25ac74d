"""What a rename does: old and new name of every joint, or why it cannot be done."""

from __future__ import annotations

from reflexa.desktop.session import Session
from reflexa.desktop.tables import TablePanel
from reflexa.errors import RecipeError
from reflexa.rig.match import rename_map
from reflexa.steps.retarget.step import rig_named


class RenamePanel(TablePanel):
    """The map is found from the rest poses."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Names", ["Old name", "New name"])
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(1, header.ResizeMode.Stretch)

    def refresh(self) -> None:
        step, rig = self.session.step, self.session.step_rig
        if step is None or rig is None or step.kind != "rename":
            return
        names = dict(step.settings.names)
        said = f"{len(names)} names are given one by one." if names else "Choose a rig of the same build."
        if step.settings.rig:
            try:
                found = rename_map(rig, rig_named(step.settings.rig, self.session.rigs))
            except RecipeError as e:
                found, said = None, str(e)
            else:
                said = (
                    "The rigs are of the same build: every value is kept." if found is not None
                    else "The rigs are not of the same build. Use Retarget."
                )  # fmt: skip
            names = {**(found or {}), **names}
        self.summary.setText(said)
        self.table.setVisible(bool(names))
        self.table.show_rows([((a, b), f"{a} becomes {b}", b, -1) for a, b in names.items()])
