"""What is put in force at one unit is read on the pages of every unit that its pulp comes to, and not elsewhere."""

from django.db import transaction
from django.test import TestCase

from desk.log.models import Kind, Record
from tests import make

WASH = ("K.larch.wash", "K.alder.wash", "K.post", "S.wash")
BLEACH = ("K.bleach", "S.bleach")
ANSWER = {"HX-Request": "true", "HX-Target": "answer"}
K_AFTER_LARCH = ("wash K.larch.wash", "wash K.post", "bleach K.bleach")
K_END = ("bleach K.bleach",)
S_ALL = ("wash S.wash", "bleach S.bleach")
# what is put in force, at which unit; what must read otherwise then; what must not
CHANGES = (
    ("K.larch.chips", {"feed_t_h": "12.5"}, ("wash K.post", "tank ClO2", *K_END), ("wash K.larch.wash", "cook larch", *S_ALL)),
    ("K.larch.cook", {"ea_pct_naoh": "21.5"}, ("cook larch", *K_AFTER_LARCH), ("cook alder", "wash K.alder.wash", *S_ALL)),
    ("K.alder.cook", {"ea_pct_naoh": "19.5"}, ("cook alder", "wash K.alder.wash", *K_END), ("cook larch", *S_ALL)),
    ("K.larch.wash", {"df": "0.8"}, K_AFTER_LARCH, ("cook larch", "wash K.alder.wash", *S_ALL)),
    ("K.larch.wash", {"stopped": "1"}, K_AFTER_LARCH, ("cook larch", *S_ALL)),
    ("K.larch.o2", {"naoh_kg": "14"}, ("bleach K.bleach", "tank NaOH"), ("cook larch", "wash K.larch.wash", *S_ALL)),
    ("K.post", {"df": "1.0"}, ("wash K.post", "bleach K.bleach"), ("wash K.larch.wash", *S_ALL)),
    ("K.bleach", {"charge.1": "13"}, ("bleach K.bleach", "tank ClO2"), ("wash K.post", "cook alder", *S_ALL)),
    ("S.cook", {"ea_pct_naoh": "14.5"}, ("cook bagasse", *S_ALL), ("cook larch", "wash K.post", *K_END)),
    ("S.wash", {"air_pct": "9"}, S_ALL, ("cook bagasse", "wash K.post", *K_END)),
    ("S.bleach", {"charge.3": "12"}, ("bleach S.bleach", "tank H2O2"), ("wash S.wash", *K_END)),
    ("M.bleach", {"charge.1": "1.4"}, ("tank H2O2",), (*S_ALL, *K_END)),
)


class Upstream(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()

    def setUp(self):
        make.forget()
        self.client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")
        self.cooked = {}

    def reads(self) -> dict[str, float]:
        """What the pages' answers say, by a name: soda loss, brightness, kappa, pulp, use of chemicals, freeness."""

        def worked(path: str, **asked):
            return self.client.get(path, asked, headers=ANSWER).context["worked"].result

        told = {}
        for unit in WASH:
            told[f"wash {unit}"] = worked("/wash/", line=unit).soda_kg_adt
        for unit in BLEACH:
            told[f"bleach {unit}"] = worked("/bleach/", line=unit).iso_pct
        for species in ("larch", "alder", "bagasse"):
            told[f"cook {species}"] = worked("/cook/", wood=species).kappa
        for standing in self.client.get("/bleach/tanks/").context["standings"]:
            told[f"tank {standing.tank.chemical}"] = standing.tank.use_m3_h
        return told

    def put(self, unit: str, **values) -> None:
        standing = self.client.get("/mill/put/", {"unit": unit}).context["standing"]
        sent = {"unit": unit, "why": "to see where it is felt", "seen": standing.pk if standing else 0, "back": "/", **values}
        answer = self.client.post("/mill/put/", sent)
        self.assertEqual(answer.status_code, 302, answer.content[:400])

    def test_a_change_is_read_where_its_pulp_comes_and_nowhere_else(self):
        before = self.reads()
        for unit, values, moved, still in CHANGES:
            with self.subTest(unit=unit, values=values):
                with transaction.atomic():  # each change alone
                    self.put(unit, **values)
                    now = self.reads()
                    transaction.set_rollback(True)
                make.forget()
                for name in moved:
                    self.assertGreater(abs(now[name] - before[name]), 5e-4 * max(1.0, abs(before[name])), name)
                for name in still:
                    self.assertAlmostEqual(now[name], before[name], delta=1e-5 * max(1.0, abs(before[name])), msg=name)
        plan = make.state(0).line.acting[unit]
        was = {k: repr(plan.settings()[k]) for k in values}
        self.put(unit, **values)
        self.put(unit, **was)
        back = self.reads()  # what is set back is read as before
        for name, value in before.items():
            self.assertAlmostEqual(back[name], value, delta=1e-5 * max(1.0, abs(value)), msg=name)

    def test_every_page_of_every_station_opens_while_a_change_stands(self):
        for unit, values, _, _ in CHANGES[::3]:
            self.put(unit, **values)
        pages = (
            "/",
            "/drift/",
            "/chips/",
            "/chips/meter/",
            "/cook/",
            "/cook/continuous/",
            "/cook/house/",
            "/wash/",
            "/bleach/",
        )
        more = (
            "/bleach/tanks/",
            "/bleach/compare/",
            "/stock/",
            "/deliver/lots/",
            "/mill/balance/",
            "/mill/case/",
            "/mill/learn/",
        )
        for path in (*pages, *more, "/mill/in-force/", "/moves/", "/schedule/", "/lab/"):
            with self.subTest(page=path):
                answer = self.client.get(path)
                self.assertEqual(answer.status_code, 200)
                self.assertNotRegex(answer.content.decode(), r"\b(nan|inf|Infinity)\b")

    def test_what_the_line_cannot_do_is_said_in_words_and_nothing_is_put_in_force(self):
        before = Record.objects.filter(kind=Kind.SETPOINT).count()
        for unit, values, told in (
            ("S.bagasse", {"feed_t_h": "0"}, "bagasse tower holds no solids"),
            ("K.larch.chips", {"feed_t_h": "300"}, "kraft bleach cannot leave at 10 %"),
            ("K.larch.chips", {"feed_t_h": "3000"}, "Feed is 3000 t/h OD; it must be at most 1000 t/h OD"),
            ("K.larch.cook", {"ea_pct_naoh": "99"}, "EA on wood is 99"),
            ("K.larch.cook", {"ea_pct_naoh": "much"}, "is “much”; it must be a number"),
        ):
            with self.subTest(unit=unit, values=values):
                looked = self.client.get("/mill/put/", {"unit": unit, **values})
                self.assertContains(looked, told)
                sent = {"unit": unit, "why": "to see", "seen": 0, "back": "/", **values}
                refused = self.client.post("/mill/put/", sent)
                self.assertContains(refused, told, status_code=422)
                self.assertContains(refused, f'value="{next(iter(values.values()))}"', status_code=422)  # what was typed stays
        self.assertEqual(Record.objects.filter(kind=Kind.SETPOINT).count(), before)
