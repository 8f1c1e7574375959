"""Chance to be best and expected loss (definitions: "Evidence")."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy
from numpy.typing import NDArray

from clabo.core.evidence.types import Counts

MOST_ARMS = 10
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(48)
# Posterior mass beyond these tails is below 1e-12 and is not integrated over.
_TAILS = np.array([1e-13, 1e-9, 1e-6, 1e-4, 1e-2, 0.1, 0.3, 0.5])


def _posteriors(arms: Sequence[Counts], prior: tuple[float, float]) -> NDArray[np.float64]:
    if not 1 <= len(arms) <= MOST_ARMS:
        raise ValueError(f"arms: between 1 and {MOST_ARMS} can be compared")
    if min(prior) <= 0:
        raise ValueError("prior: both parameters must be positive")
    return np.array([(prior[0] + a.conversions, prior[1] + a.failures) for a in arms])


def _panels(parameters: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Nodes and weights of Gauss-Legendre panels between quantiles of all posteriors.

    In the variable arcsin √x, in which every posterior is nearly normal and none has a pole.
    """
    cuts = [0.0, np.pi / 2]
    for a, b in parameters:
        quantiles = np.concatenate(
            [scipy.special.betaincinv(a, b, _TAILS), 1 - scipy.special.betaincinv(b, a, _TAILS)]
        )
        cuts += np.arcsin(np.sqrt(np.clip(quantiles, 0, 1))).tolist()
    edges = np.unique(cuts)
    half = np.diff(edges) / 2
    nodes = (edges[:-1] + half)[:, None] + half[:, None] * _NODES
    return nodes.ravel(), (half[:, None] * _WEIGHTS).ravel()


def _densities(parameters: NDArray[np.float64], angle: NDArray[np.float64]) -> NDArray[np.float64]:
    """Posterior densities in the angle, up to a constant factor each, without cancellation.

    θ^a (1-θ)^b in the angle, relative to its top, so that counts of 10⁸ keep their digits.
    """
    logs = []
    for a, b in parameters:
        top = np.arctan2(np.sqrt(a - 0.5), np.sqrt(b - 0.5)) if a > 0.5 and b > 0.5 else np.pi / 4
        sine, cosine = np.sin(angle), np.cos(angle)
        with np.errstate(divide="ignore", invalid="ignore"):
            up = (2 * a - 1) * np.log1p((sine - np.sin(top)) / np.sin(top))
            down = (2 * b - 1) * np.log1p((cosine - np.cos(top)) / np.cos(top))
        logs.append(np.where(2 * a == 1, 0.0, up) + np.where(2 * b == 1, 0.0, down))
    values = np.array(logs)
    return np.asarray(np.exp(values - np.nanmax(values, axis=1, keepdims=True)))


def chance_to_be_best(arms: Sequence[Counts], prior: tuple[float, float] = (0.5, 0.5)) -> list[float]:
    """For each arm, the posterior probability that its rate is the highest.

    ∫ fᵢ Π_{j≠i} Fⱼ with Beta posteriors, by Gauss-Legendre quadrature; absolute error below 1e-8.

    Parameters
    ----------
    arms : sequence of Counts
        One to twenty.
    prior : tuple of float
        Both parameters of the beta prior.

    Returns
    -------
    list of float
        One for each arm; they sum to 1.

    Raises
    ------
    ValueError
        For too many arms, or a prior that is not positive.

    Examples
    --------
    >>> [round(p, 3) for p in chance_to_be_best([Counts(20, 400), Counts(31, 400)])]
    [0.055, 0.945]
    """
    parameters = _posteriors(arms, prior)
    angle, weight = _panels(parameters)
    rate = np.sin(angle) ** 2
    below = np.array([scipy.special.betainc(a, b, rate) for a, b in parameters])
    density = _densities(parameters, angle)
    chances = []
    for i in range(len(arms)):
        mass = density[i] * weight
        others = np.prod(np.delete(below, i, axis=0), axis=0)
        chances.append(float(np.sum(mass * others) / np.sum(mass)))
    return chances


def expected_loss(arms: Sequence[Counts], prior: tuple[float, float] = (0.5, 0.5)) -> list[float]:
    """For each arm, how much rate is lost on average by choosing it: E[max θ - θᵢ].

    E[max θ] - E[θᵢ] = ∫ (Fᵢ - Π Fⱼ) dx, whose integrand is never negative.

    Parameters
    ----------
    arms : sequence of Counts
        One to twenty.
    prior : tuple of float
        Both parameters of the beta prior.

    Returns
    -------
    list of float
        Of rate, for each arm.

    Raises
    ------
    ValueError
        For too many arms, or a prior that is not positive.

    Examples
    --------
    >>> [round(loss, 4) for loss in expected_loss([Counts(20, 400), Counts(31, 400)])]
    [0.0278, 0.0004]
    """
    parameters = _posteriors(arms, prior)
    angle, weight = _panels(parameters)
    rate = np.sin(angle) ** 2
    step = weight * np.sin(2 * angle)  # dx = sin(2u) du
    below = np.array([scipy.special.betainc(a, b, rate) for a, b in parameters])
    best = np.prod(below, axis=0)
    return [float(np.sum((own - best) * step)) for own in below]
