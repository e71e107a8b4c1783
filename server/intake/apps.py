from typing import Any

from django.apps import AppConfig


class App(AppConfig):
    name = "intake"

    def ready(self) -> None:
        """Follow what studies tell."""
        from studies.news import method_changed  # noqa: PLC0415 - models are not loaded before

        method_changed.connect(_on_method_changed, dispatch_uid="intake")


def _on_method_changed(study: Any, **_: Any) -> None:
    from intake.following import catch_up  # noqa: PLC0415

    catch_up(study)
