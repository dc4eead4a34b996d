from django.apps import AppConfig


class DeliverConfig(AppConfig):
    name = "desk.deliver"

    def ready(self) -> None:
        from desk.deliver.actions import DEVIATIONS, rejudge
        from desk.deliver.deviations import touching
        from desk.lab.actions import CORRECTED

        if rejudge not in CORRECTED:
            CORRECTED.append(rejudge)

        if touching not in DEVIATIONS:
            DEVIATIONS.append(touching)
