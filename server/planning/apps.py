from django.apps import AppConfig


class App(AppConfig):
    name = "planning"

    def ready(self) -> None:
        """Learn from every decision, and look again at studies whose setups changed."""
        # Models are not loaded before.
        from planning.listeners import listen  # noqa: PLC0415

        listen()
