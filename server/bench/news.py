"""What the bench tells the apps that build on it, within the transaction of the change."""

from __future__ import annotations

from django.dispatch import Signal

#: What setups are made of has changed. Carries `versions`, the ids of the setup versions, and `who` changed it.
setups_changed = Signal()
