"""What becomes of a board's settings when its firmware is exchanged."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel

from linkcore.craft.document import BoardSettings, differences
from linkcore.craft.names import setting_name, value_in_words
from linkcore.devices.image_facts import SettingsFormat
from linkcore.findings import Edit


class CarriedLine(BaseModel):
    """One setting that was kept: its value then, what the board holds now, and what becomes of it. `new_name`: what the new version calls it."""

    path: str
    setting: str
    kept: str
    now: str
    says: Literal["comes back", "dropped", "renamed", "as it is"]
    new_name: str = ""


class Carried(BaseModel):
    """Kept settings beside a board's present ones; `edits` put back into the draft what the new version has."""

    lines: list[CarriedLine]
    edits: list[Edit]

    def beside(self, draft: BoardSettings) -> Carried:
        """The same with only those edits that a draft does not hold already."""
        held = draft.model_dump(mode="json")
        return Carried(lines=self.lines, edits=[each for each in self.edits if held.get(each.path.removeprefix("/settings/")) != each.value])

    @property
    def lost(self) -> list[CarriedLine]:
        """What cannot come back."""
        return [line for line in self.lines if line.says == "dropped"]


def without_dropped(settings: BoardSettings, form: SettingsFormat) -> BoardSettings:
    """What a board of that version makes of settings: those that it no longer has fall to their defaults."""
    data = settings.model_dump(mode="json")
    plain = BoardSettings(ports=settings.ports).model_dump(mode="json")
    for path in form.dropped:
        steps = path.split("/")
        at, default = data, plain
        for step in steps[:-1]:
            at, default = at.get(step) or {}, default.get(step) or {}
        if steps[-1] in at and steps[-1] in default:
            at[steps[-1]] = default[steps[-1]]
    return BoardSettings.model_validate(data)


def carry_over(kept: BoardSettings, now: BoardSettings, form: SettingsFormat) -> Carried:
    """Kept settings as a difference from what the board holds now."""
    back = without_dropped(kept, form)
    lines = []
    for each in differences(kept, now):
        path = each.path.lstrip("/")
        lost = _under(path, form.dropped)
        renamed = _under(path, tuple(form.renamed))
        says: Literal["comes back", "dropped", "renamed"] = "dropped" if lost else "renamed" if renamed else "comes back"
        new_name = form.renamed[renamed] if renamed and not lost else ""
        lines.append(CarriedLine(path=path, setting=each.name, kept=each.draft_says, now=each.on_board_says, says=says, new_name=new_name))
    # a setting that the new version calls otherwise is worth a word even where its value is the same
    named = {line.path for line in lines}
    data = kept.model_dump(mode="json")
    for path, name in form.renamed.items():
        if not any(_under(each, (path,)) for each in named):
            value = value_in_words(_at(data, path), path)
            lines.append(CarriedLine(path=path, setting=setting_name(path), kept=value, now=value, says="as it is", new_name=name))
    new = back.model_dump(mode="json")
    return Carried(lines=lines, edits=[Edit(path=f"/settings/{name}", value=value) for name, value in new.items()])


def _under(path: str, roots: tuple[str, ...]) -> str | None:
    return next((root for root in roots if path == root or path.startswith(root + "/")), None)


def _at(data: Any, path: str) -> Any:
    for step in path.split("/"):
        data = data.get(step) if isinstance(data, dict) else None
    return data
