from django.apps import AppConfig


class App(AppConfig):
    name = "running"

    def ready(self) -> None:
        """Keep what the bench knew of a run with its capture, and check every pass that comes in."""
        # Models are not loaded before.
        from running.listeners import listen  # noqa: PLC0415

        listen()
