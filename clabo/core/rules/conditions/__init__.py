"""All conditions that rules can be made of, one file each. A new one is added to CONDITIONS, and is known everywhere."""

from __future__ import annotations

from clabo.core.rules.condition import Condition
from clabo.core.rules.conditions.click import Clicked
from clabo.core.rules.conditions.event import CodeEvent
from clabo.core.rules.conditions.form import FormSubmitted
from clabo.core.rules.conditions.message import FrameMessage
from clabo.core.rules.conditions.on import OnPage
from clabo.core.rules.conditions.outcome import OutcomeReached
from clabo.core.rules.conditions.page import PageReached
from clabo.core.rules.conditions.parameter import Parameter
from clabo.core.rules.conditions.sale import SaleReported
from clabo.core.rules.conditions.scroll import Scrolled
from clabo.core.rules.conditions.seen import PagesSeen
from clabo.core.rules.conditions.shown import ElementShown
from clabo.core.rules.conditions.stay import Stayed
from clabo.core.rules.conditions.step import BridgeStep

CONDITIONS: dict[str, type[Condition]] = {
    condition.key: condition
    for condition in (
        PageReached,
        OnPage,
        Parameter,
        FormSubmitted,
        ElementShown,
        FrameMessage,
        Clicked,
        CodeEvent,
        PagesSeen,
        Stayed,
        Scrolled,
        BridgeStep,
        SaleReported,
        OutcomeReached,
    )
}
