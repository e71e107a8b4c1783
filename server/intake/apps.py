from django.apps import AppConfig


class App(AppConfig):
    name = "intake"

    def ready(self) -> None:
        """Follow what happens in studies."""
        # Models are not loaded before.
        from intake.listeners import listen  # noqa: PLC0415

        listen()
