from typing import Any

from django.apps import AppConfig


class App(AppConfig):
    name = "planning"

    def ready(self) -> None:
        """Learn from every decision."""
        from studies.news import decided  # noqa: PLC0415 - models are not loaded before

        decided.connect(_on_decided, dispatch_uid="planning")


def _on_decided(study: Any, scenes: set[int], **_: Any) -> None:
    from planning.noise import learn  # noqa: PLC0415

    learn(study.pk, scenes)
