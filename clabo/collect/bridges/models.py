"""Bridge links."""

from __future__ import annotations

from django.contrib.postgres.fields import ArrayField
from django.db import models

from clabo.setup.sites.models import Site


class BridgeLink(models.Model):
    """An address of Clabo's that counts a step and forwards to a page that is not the site's."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    slug = models.CharField(max_length=60)
    target = models.CharField(max_length=2000)
    # The parameter in which the click reference is passed on, and further ones that are passed through.
    reference_name = models.CharField(max_length=40, default="ref")
    free_names = ArrayField(models.CharField(max_length=40), default=list, blank=True)
    # Sales may be reported by an image, which anybody who has a reference can load.
    pixel_sales = models.BooleanField(default=False)
    # What the other side's server signs its reports with.
    secret = models.CharField(max_length=64)
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "slug"), name="bridge_name_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.slug
