"""What scenes tell the apps that build on them, within the transaction of the change."""

from __future__ import annotations

from django.dispatch import Signal

#: Scenes that were run are described otherwise than before, though they were run alike. Carries `scenes`, their ids,
#: `who` put them right, and `words` of what is said now.
scenes_put_right = Signal()
