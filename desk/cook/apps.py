from django.apps import AppConfig


class CookConfig(AppConfig):
    name = "desk.cook"

    def ready(self) -> None:
        from desk.cook import causes, kappas, running, thermometer
        from desk.intake import plant
        from desk.lab.actions import CORRECTED, SAMPLED
        from desk.lab.causes import OWN
        from desk.mill import ahead

        if kappas.from_sample not in SAMPLED:
            SAMPLED.append(kappas.from_sample)
            CORRECTED.append(kappas.from_correction)

        if thermometer.truths not in plant.TRUTHS:
            plant.TRUTHS.append(thermometer.truths)

        if running.next_blows not in ahead.BATCHES:
            ahead.BATCHES.append(running.next_blows)

        if causes.own not in OWN:
            OWN.append(causes.own)
