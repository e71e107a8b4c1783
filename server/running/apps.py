from typing import Any

from django.apps import AppConfig


class App(AppConfig):
    name = "running"

    def ready(self) -> None:
        """Check every pass that comes in or is seen through another window."""
        from studies.news import captured, captured_many  # noqa: PLC0415 - models are not loaded before

        captured.connect(_on_captured, dispatch_uid="running")
        captured_many.connect(_on_captured_many, dispatch_uid="running")


def _on_captured(study: Any, one: Any, **_: Any) -> None:
    from running.link import on_captured  # noqa: PLC0415

    on_captured(study, one)


def _on_captured_many(study: Any, passes: Any, **_: Any) -> None:
    from running.link import on_captured_many  # noqa: PLC0415

    on_captured_many(study, passes)
