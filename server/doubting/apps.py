from typing import Any

from django.apps import AppConfig


class App(AppConfig):
    name = "doubting"

    def ready(self) -> None:
        """Look again at passes whose siblings changed, and take back what a decision had settled."""
        from studies.news import decided, undone  # noqa: PLC0415 - models are not loaded before

        decided.connect(_on_decided, dispatch_uid="doubting")
        undone.connect(_on_undone, dispatch_uid="doubting")


def _on_decided(study: Any, otherwise: set[int] | None = None, **_: Any) -> None:
    from doubting.following import look_again  # noqa: PLC0415

    if otherwise:
        look_again(study, otherwise)


def _on_undone(study: Any, decision: Any, **_: Any) -> None:
    from doubting.services import take_back  # noqa: PLC0415

    take_back(study, decision)
