from typing import Any

from django.apps import AppConfig


class App(AppConfig):
    name = "intake"

    def ready(self) -> None:
        """Follow what studies tell."""
        from studies.news import method_changed, undone  # noqa: PLC0415 - models are not loaded before

        method_changed.connect(_on_method_changed, dispatch_uid="intake")
        undone.connect(_on_undone, dispatch_uid="intake")


def _on_method_changed(study: Any, **_: Any) -> None:
    from intake.following import catch_up  # noqa: PLC0415

    catch_up(study)


def _on_undone(study: Any, decision: Any, **_: Any) -> None:
    from intake.following import see_as_before  # noqa: PLC0415

    see_as_before(study, decision)
