"""The lens in words, where nobody can click on them: files, mails, what is shared."""

from __future__ import annotations

from clabo.collect.events.models import Device
from clabo.platform.wording.reports import CHANNELS, MODELS, day_span
from clabo.setup.conversions.lens import Lens


def lens_says(lens: Lens) -> str:
    """One sentence with all that the lens looks at."""
    kind, _, name = lens.origin.partition(":")
    where = CHANNELS.get(name, name) if kind == "channel" else name if kind == "source" else "anywhere"
    device = (
        {1: "desktops", 2: "phones", 3: "tablets"}[Device(lens.device).value] if lens.device else "any device"
    )
    people = f" by people in {lens.people.name}" if lens.people else ""
    counting = f", counting {lens.rule.name.replace('_', ' ')} by {MODELS[lens.model]}" if lens.rule else ""
    return f"Visits to {lens.site.name}{people}, {day_span(lens.first, lens.last)}, from {where} on {device}{counting}."
