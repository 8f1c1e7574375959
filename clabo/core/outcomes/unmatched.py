"""Why an outcome is of no lead or order (definitions: "Outcome")."""

from __future__ import annotations

from clabo.core.message import message

WHY = {
    each.code: each
    for each in (
        message("outcome_no_order"),
        message("outcome_unknown_person"),
        message("outcome_shared_identity"),
        message("outcome_nothing_before"),
        message("outcome_other_currency"),
    )
}
