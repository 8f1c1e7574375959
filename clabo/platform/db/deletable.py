"""Rows that are deleted for a while: nobody sees them, and they can be restored."""

from __future__ import annotations

from typing import ClassVar, Self, TypeVar

from django.db import models

M = TypeVar("M", bound=models.Model)


class NotDeleted(models.Manager[M]):
    """Rows that are there."""

    def get_queryset(self) -> models.QuerySet[M]:
        return super().get_queryset().filter(deleted_at=None)


class Deletable(models.Model):
    """What can be deleted and restored. `objects` are those that are there, `with_deleted` all."""

    deleted_at = models.DateTimeField(null=True, editable=False)

    objects: ClassVar[NotDeleted[Self]] = NotDeleted()
    with_deleted: ClassVar[models.Manager[Self]] = models.Manager()

    class Meta:
        abstract = True
