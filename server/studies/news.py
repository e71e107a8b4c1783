"""What studies tell the apps that build on them, within the transaction of the change."""

from __future__ import annotations

from django.dispatch import Signal

#: Passes of a study were accepted, rejected or sent back. Carries `study`, `scenes`, the ids of their scenes, and
#: where it is known `otherwise`, the ids of tests in which other passes stand beside each other than before.
decided = Signal()
#: A decision is being taken back: what else it changed is to be put back too. Carries `study` and `decision`.
undone = Signal()
#: A pass has a capture, or another view of it: `study` and `one`, the pass.
captured = Signal()
#: Passes have captures that came together: `study` and `passes`, their ids.
captured_many = Signal()
#: What a study's captures are measured against may have changed. Carries `study`.
method_changed = Signal()
