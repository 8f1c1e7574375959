"""Audiences."""

from __future__ import annotations

from ninja import Router

router = Router(tags=["audiences"])
