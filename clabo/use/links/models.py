"""Links that were built, and the rules by which their names are written."""

from __future__ import annotations

from django.contrib.postgres.fields import ArrayField
from django.db import models

from clabo.core.plans.ad_links import FIELDS, SPACES
from clabo.platform.accounts.models import User
from clabo.platform.db.deletable import Deletable
from clabo.setup.sites.models import Site


def _plain() -> list[str]:
    return ["source", "medium", "campaign"]


class LinkNaming(models.Model):
    """How names in a site's links are written (core.links.Naming)."""

    site = models.OneToOneField(Site, on_delete=models.CASCADE, related_name="link_naming")
    lower = models.BooleanField(default=True)
    space = models.CharField(max_length=1, choices=[(s, s) for s in SPACES], default="-")
    required = ArrayField(models.CharField(max_length=10, choices=[(f, f) for f in FIELDS]), default=_plain)


class AdLink(Deletable):
    """A link as it was built. Two that no visit could be told apart by are one."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    destination = models.CharField(max_length=2048)
    address = models.CharField(max_length=2048)
    # The page that it leads to, as pages are written.
    host = models.CharField(max_length=260)
    path = models.TextField()
    source = models.CharField(max_length=200, blank=True)
    medium = models.CharField(max_length=200, blank=True)
    campaign = models.CharField(max_length=200, blank=True)
    ad_group = models.CharField(max_length=200, blank=True)
    ad = models.CharField(max_length=200, blank=True)
    sub_ids = models.JSONField(default=dict)
    fingerprint = models.CharField(max_length=32)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "fingerprint"), name="ad_link_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.address
