"""What an author can set in the editor, under the name `zubrel`."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import msgspec
from msgspec import Meta, Struct

from zubrel.base.budget import Limits, memory_of_machine

NAME = "zubrel"


class Settings(Struct, frozen=True, forbid_unknown_fields=True):
    """`search`: look for findings, `pause` seconds after the last change; `seconds`, `memory` (in
    MiB; None: half of the machine's) and `engine` limit each search. `lenses` are lines above
    things, `hints` words behind conditions. `formatting`: blanks at the ends of lines may be taken
    away when the editor asks for it.
    """

    search: bool = True
    pause: Annotated[float, Meta(ge=0, le=60)] = 0.6
    seconds: Annotated[float, Meta(gt=0)] | None = 60.0
    memory: Annotated[int, Meta(gt=0)] | None = None
    engine: Literal["auto", "explicit", "symbolic"] = "auto"
    lenses: bool = True
    hints: bool = True
    formatting: bool = False

    @property
    def limits(self) -> Limits:
        """What a search may take."""
        machine = memory_of_machine()
        memory = self.memory << 20 if self.memory else machine // 2 if machine else None
        return Limits(seconds=self.seconds, memory=memory, engine=self.engine)


def settings_from(given: Any) -> Settings:
    """The settings in what an editor sends: of our name, or all of it. Raises `ValueError`."""
    if isinstance(given, dict) and isinstance(given.get(NAME), dict):
        given = given[NAME]
    if given is None:
        return Settings()
    try:
        return msgspec.convert(given, Settings)
    except msgspec.ValidationError as error:
        names = ", ".join(f.name for f in msgspec.structs.fields(Settings))
        words = f"the settings of zubrel are not understood: {error}. There are: {names}."
        raise ValueError(words) from None
