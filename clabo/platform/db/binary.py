"""Reading bytes as bytes: Django's cursors are sent text of twice the length, which has to be read back."""

from __future__ import annotations

from typing import Any

from django.db import connection


def binary_cursor() -> Any:
    """A cursor of the current connection and transaction whose results come in PostgreSQL's binary form."""
    connection.ensure_connection()
    return connection.connection.cursor(binary=True)
