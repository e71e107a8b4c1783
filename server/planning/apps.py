from typing import Any

from django.apps import AppConfig


class App(AppConfig):
    name = "planning"

    def ready(self) -> None:
        """Learn from every decision, and look again at studies whose setups changed."""
        from bench.news import setups_changed  # noqa: PLC0415 - models are not loaded before
        from studies.news import decided  # noqa: PLC0415

        decided.connect(_on_decided, dispatch_uid="planning")
        setups_changed.connect(_on_setups_changed, dispatch_uid="planning")


def _on_decided(study: Any, scenes: set[int], **_: Any) -> None:
    from planning.noise import learn  # noqa: PLC0415

    learn(study.pk, scenes)


def _on_setups_changed(versions: set[int], who: Any, **_: Any) -> None:
    from planning.readiness import look_again  # noqa: PLC0415

    look_again(versions, who)
