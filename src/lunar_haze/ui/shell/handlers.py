"""What each of the window's acts does, by its name in the table of keys."""

import functools
from collections.abc import Callable
from typing import TYPE_CHECKING

from lunar_haze.core.picture.metering import Meters
from lunar_haze.ui.session.chosen import HAND_OFF
from lunar_haze.ui.shell.assistant import ROLES_PROPOSED

if TYPE_CHECKING:
    from lunar_haze.ui.shell.window import Window


def handlers_of(window: "Window") -> dict[str, Callable[[], object]]:
    """The handlers of a window that is being made: what does not stand yet is looked up when it is done."""
    return {
        "open": lambda: window.files.ask_open(),
        "save": lambda: window.files.save(),
        "save-as": lambda: window.files.ask_save(),
        "undo": window.session.undo,
        "redo": window.session.redo,
        "hand-off": lambda: window.session.choose(HAND_OFF),
        "again": lambda: window.sheet.write(),
        "quit": window.close,
        "part": window.picture.part.toggle,
        "pin": lambda: window.pins.pin(),
        "add": window.ask_add,
        "wipe": lambda: window.pins.toggle_wipe(),
        "black": window.acts.start_from_black,
        "work-light": window.picture.work_light.toggle,
        "exposure": lambda: window.exposing.meter(),
        "exposure-subject": lambda: window.exposing.meter(Meters.SUBJECT),
        "exposure-whole": lambda: window.exposing.meter(Meters.WHOLE),
        "next": lambda: window.acts.choose_next(1),
        "previous": lambda: window.acts.choose_next(-1),
        "mute": lambda: window.acts.toggle("muted", "mute"),
        "alone": lambda: window.acts.toggle("alone", "alone"),
        "up": lambda: window.acts.nudge(1 / 3),
        "down": lambda: window.acts.nudge(-1 / 3),
        "later": lambda: window.acts.step_hour(1 / 6),
        "earlier": lambda: window.acts.step_hour(-1 / 6),
        "event": lambda: window.hour.step_event(True),
        "event-before": lambda: window.hour.step_event(False),
        "remove": window.acts.remove_chosen,
        "copy": window.acts.copy,
        "paste": window.acts.paste,
        "duplicate": window.acts.duplicate,
        "left": lambda: window.acts.move_card(-1),
        "right": lambda: window.acts.move_card(1),
        "side": lambda: window.plan.next_side(),
        "watch": lambda: window.assistant.watch(),
        "group": window.acts.ask_group,
        **{role: functools.partial(window.propose, role) for role in ROLES_PROPOSED},
        "swap": window.swap,
        "readings": window.toggle_readings,
        "whole": window.toggle_whole,
        "frames": window.toggle_frames,
        "frame-on": lambda: window.player.step(1),
        "frame-back": lambda: window.player.step(-1),
        "keys": window.show_keys,
        "manual": window.show_manual,
        "find": window.open_finder,
    }
