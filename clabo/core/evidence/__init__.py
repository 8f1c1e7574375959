"""Statistics that stay honest. Methods and references: docs/evidence.md.

Counts are ints; rates and means floats; `level` is the confidence level. Impossible input raises
ValueError that names the argument; no data gives `nan` limits.
"""

from clabo.core.evidence.bayes import chance_to_be_best, expected_loss
from clabo.core.evidence.bootstrap import bootstrap_mean, bootstrap_mean_difference
from clabo.core.evidence.compound import (
    NO_VALUES,
    Spread,
    ValueSums,
    chance_of_less,
    chance_of_more,
    dispersion_of,
)
from clabo.core.evidence.experiments.adjusted import adjusted, saved
from clabo.core.evidence.experiments.daily import (
    Look,
    between_level,
    daily_cost,
    information,
    looks,
    looks_level,
    would_have_shown,
)
from clabo.core.evidence.experiments.daily import both as both_readings
from clabo.core.evidence.experiments.forecast import DryRun, Forecast, dry_run, forecast
from clabo.core.evidence.experiments.groups import GroupEffect, group_effects
from clabo.core.evidence.experiments.guards import guard_factor, guard_standing
from clabo.core.evidence.experiments.power import (
    SamplePlan,
    days_needed,
    detectable_lift,
    one_rate_size,
    plan_mean_test,
    plan_rate_test,
    sequential_cost,
)
from clabo.core.evidence.experiments.sequential import confidence_sequence
from clabo.core.evidence.experiments.stopped import first_crossing, median_unbiased
from clabo.core.evidence.experiments.verdicts import TestState, Verdict, verdict
from clabo.core.evidence.means import MeanComparison, compare_means, standard_error
from clabo.core.evidence.mix import FairComparison, fair_comparison, pool_small
from clabo.core.evidence.multiple import SplitHealth, holm, split_health
from clabo.core.evidence.proportions import (
    RateComparison,
    compare_rates,
    is_thin,
    rate_interval,
    rate_intervals,
)
from clabo.core.evidence.quantiles import quantile_interval
from clabo.core.evidence.ranking import ShrunkRates, lost_conversions, shrink_rates
from clabo.core.evidence.ratios import count_ratio, ratio_of_means, return_interval
from clabo.core.evidence.types import Counts, Interval, Moments
from clabo.core.evidence.usual import usual_range
from clabo.core.evidence.winsor import winsorise

__all__ = [
    "NO_VALUES",
    "Counts",
    "DryRun",
    "FairComparison",
    "Forecast",
    "GroupEffect",
    "Interval",
    "Look",
    "MeanComparison",
    "Moments",
    "RateComparison",
    "SamplePlan",
    "ShrunkRates",
    "SplitHealth",
    "Spread",
    "TestState",
    "ValueSums",
    "Verdict",
    "adjusted",
    "between_level",
    "bootstrap_mean",
    "bootstrap_mean_difference",
    "both_readings",
    "chance_of_less",
    "chance_of_more",
    "chance_to_be_best",
    "compare_means",
    "compare_rates",
    "confidence_sequence",
    "count_ratio",
    "daily_cost",
    "days_needed",
    "detectable_lift",
    "dispersion_of",
    "dry_run",
    "expected_loss",
    "fair_comparison",
    "first_crossing",
    "forecast",
    "group_effects",
    "guard_factor",
    "guard_standing",
    "holm",
    "information",
    "is_thin",
    "looks",
    "looks_level",
    "lost_conversions",
    "median_unbiased",
    "one_rate_size",
    "plan_mean_test",
    "plan_rate_test",
    "pool_small",
    "quantile_interval",
    "rate_interval",
    "rate_intervals",
    "ratio_of_means",
    "return_interval",
    "saved",
    "sequential_cost",
    "shrink_rates",
    "split_health",
    "standard_error",
    "usual_range",
    "verdict",
    "winsorise",
    "would_have_shown",
]
