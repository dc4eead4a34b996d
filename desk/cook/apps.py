from django.apps import AppConfig


class CookConfig(AppConfig):
    name = "desk.cook"

    def ready(self) -> None:
        from desk.cook import thermometer
        from desk.intake import plant

        if thermometer.truths not in plant.TRUTHS:
            plant.TRUTHS.append(thermometer.truths)
