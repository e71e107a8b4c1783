"""Readers: whom the magazine writes for. What a difference is worth is told for one of them."""

from __future__ import annotations

from django.db import models
from django.db.models import Q
from django.db.models.functions import Lower


class FloorOn(models.TextChoices):
    """The figure that a playable floor is held on."""

    AVERAGE = "average_fps", "average fps"
    LOW_1 = "low_1", "1% low"


class Reader(models.Model):
    """A kind of reader: display, playable floor, what they would notice, power and money.

    `resolution` is what they play at; the group of tests at it is looked at first. `notices` is a share.
    """

    name = models.CharField(max_length=80)
    resolution = models.CharField(max_length=40, blank=True)
    display_hz = models.FloatField()
    variable = models.BooleanField(default=False)
    floor_fps = models.FloatField()
    floor_on = models.CharField(max_length=12, choices=FloorOn.choices, default=FloorOn.AVERAGE)
    notices = models.FloatField(default=0.05)
    hours_a_day = models.FloatField(default=2.0)
    years = models.FloatField(default=4.0)
    price_per_kwh = models.DecimalField(max_digits=8, decimal_places=4, null=True, blank=True)
    budget = models.DecimalField(max_digits=10, decimal_places=2, null=True, blank=True)
    currency = models.CharField(max_length=3, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(Lower("name"), name="reader_once"),
            models.CheckConstraint(condition=~Q(name=""), name="reader_named"),
            models.CheckConstraint(condition=Q(floor_on__in=FloorOn.values), name="reader_floor_known"),
            models.CheckConstraint(condition=Q(display_hz__gt=0, floor_fps__gt=0), name="reader_rates_above_0"),
            models.CheckConstraint(condition=Q(notices__gt=0, notices__lt=1), name="reader_notices_a_share"),
            models.CheckConstraint(
                condition=Q(hours_a_day__gt=0, hours_a_day__lte=24, years__gt=0), name="reader_plays_some_hours"
            ),
            models.CheckConstraint(
                condition=Q(price_per_kwh=None, budget=None) | ~Q(currency=""), name="reader_money_has_a_currency"
            ),
        ]

    def __str__(self) -> str:
        return self.name
