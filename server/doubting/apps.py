from django.apps import AppConfig


class App(AppConfig):
    name = "doubting"

    def ready(self) -> None:
        """Look again at passes whose siblings changed, and take back what a decision had settled."""
        # Models are not loaded before.
        from doubting.listeners import listen  # noqa: PLC0415

        listen()
