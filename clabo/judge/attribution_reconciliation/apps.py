"""The ad side's count against Clabo's: its tables keep their first name."""

from django.apps import AppConfig


class AttributionReconciliationConfig(AppConfig):
    name = "clabo.judge.attribution_reconciliation"
    label = "adside"
