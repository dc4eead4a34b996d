"""A move decided on a cook's own page has no slip; the handover, the log and the pages of moves read it all the same."""

from datetime import timedelta

from desk.cook.actions import awaited
from desk.cook.models import Cook
from desk.log.models import Kind, Record
from desk.mill.clock import set_clock
from tests import make
from tests.desk.test_every_form import Forms
from tests.desk.test_second_press import Pressed

RETEST, EFFECTS = 5, 8  # sections of a handover: moves that wait, what was changed on purpose


class OnACook(Pressed):
    def cook(self) -> Cook:
        return Cook.objects.filter(blown_at=None).order_by("number").first()

    def page(self) -> str:
        return f"/cook/records/{self.cook().number}/"

    def held(self, minutes: str = "4") -> Record:
        """The cook's hold, made so many minutes longer."""
        self.press(self.page(), act="alter", minutes=minutes, reason="the liquor came weak")
        self.assertEqual(self.kept, 1, self.told)
        return Record.objects.filter(kind=Kind.DECISION).order_by("-pk").first()

    def move(self, decided: Record) -> str:
        """What was decided, as the handover begins its line with it."""
        what = decided.says.split(": ", 1)[1]
        return what[0].upper() + what[1:]

    def section(self, n: int) -> list[str]:
        return self.client.get("/log/handover/").context["made"]["sections"][n]["lines"]

    def test_the_handover_waits_for_its_kappa_and_then_does_not(self):
        cook = self.cook()
        decided = self.held()
        what = self.move(decided)
        self.assertIn(f"{what}: its kappa is to come.", self.section(RETEST))
        self.assertTrue(any(line.endswith(f"c{what[1:]}: altered.") for line in self.section(EFFECTS)), self.section(EFFECTS))
        self.press(f"/cook/records/{cook.number}/", act="blow")
        self.press(f"/cook/records/{cook.number}/", act="lab", kappa="31")
        self.assertFalse(any(what in line for line in self.section(RETEST)), self.section(RETEST))

    def test_what_was_refused_waits_for_nothing(self):
        self.press(self.page(), act="refuse", reason="it is blown soon")
        self.assertEqual(self.kept, 1, self.told)
        self.assertFalse(any("kappa is to come" in line for line in self.section(RETEST)))

    def test_a_move_on_the_next_cook_waits_until_one_alike_is_tested(self):
        cook = self.cook()
        page = f"/cook/records/{cook.number}/"
        self.press(page, act="blow")
        self.press(page, act="lab", kappa=f"{cook.target + 8:g}")
        self.press(page, act="next.take", size="")
        self.assertEqual(self.kept, 1, self.told)
        decided = Record.objects.filter(kind=Kind.DECISION, subject=f"cook.{cook.number}.next").get()
        what = self.move(decided)
        self.assertIn(f"{what}: its kappa is to come.", self.section(RETEST))
        self.refused(page, "was decided", act="next.take", size="")
        alike = Cook.objects.filter(pk=cook.pk).values().get()
        follows = Cook.objects.create(**alike | {"id": None, "number": cook.number + 900, "kappa": None})
        self.assertIn(f"{what}: its kappa is to come.", self.section(RETEST))
        follows.kappa = cook.target
        follows.save()
        self.assertFalse(any(what in line for line in self.section(RETEST)))

    def test_a_temperature_for_a_rate_is_looked_at_at_its_time(self):
        """K5 of the continuous digester, whose retest is when what it changed has come through."""
        self.press("/cook/continuous/", choice="take", new_t_h="5.0")
        self.assertEqual(self.kept, 1, self.told)
        waits = [line for line in self.section(RETEST) if line.startswith("K5")]
        self.assertEqual(len(waits), 1)
        self.assertRegex(waits[0], r"look at \d\d:\d\d\.$")

    def test_its_entry_is_read_and_cannot_be_corrected_or_undone_beside_its_cook(self):
        decided = self.held()
        plan = self.cook().plan
        page = self.client.get(f"/log/{decided.pk}/")
        self.assertEqual(page.status_code, 200)
        self.assertFalse(page.context["can_correct"])
        before = Record.objects.count()
        answer = self.client.post(f"/log/{decided.pk}/", {"choice": "refuse", "reason": "typing", "words": "not so"})
        self.assertEqual(answer.status_code, 403)
        self.assertContains(answer, "page of its cook", status_code=403)
        self.refused(f"/moves/undo/{decided.pk}/", "set it back there")
        self.assertEqual(Record.objects.count(), before)
        self.assertEqual(self.cook().plan, plan)

    def test_every_page_that_tells_of_decisions_reads_it(self):
        self.held()
        for minutes in (0, 2, 90):
            set_clock(make.NOW + timedelta(minutes=minutes))
            for page in (
                "/",
                "/drift/?show=taken",
                "/drift/?show=refused",
                "/log/",
                "/log/handover/",
                "/moves/",
                "/moves/learnt/",
                "/moves/row/K4/",
                "/cook/",
                "/cook/house/",
                "/cook/records/",
                "/lab/chart/K.larch_blow.kappa/",
                "/lab/cause/K.larch_blow.kappa/",
                "/deliver/lots/",
                "/schedule/ahead/",
            ):
                with self.subTest(page=page, minutes=minutes):
                    self.assertEqual(self.client.get(page).status_code, 200)

    def test_at_most_two_moves_are_taken_and_each_is_whole(self):
        end = self.cook().plan[-1][0]
        self.held("4")
        self.assertAlmostEqual(self.cook().plan[-1][0], end + 4)
        self.held("-3")
        self.assertAlmostEqual(self.cook().plan[-1][0], end + 1)
        self.refused(self.page(), "Two moves were taken", act="alter", minutes="2", reason="once more")
        self.assertAlmostEqual(self.cook().plan[-1][0], end + 1)
        self.press(self.page(), act="refuse", reason="no more")
        self.assertEqual(self.kept, 1)
        self.assertAlmostEqual(self.cook().plan[-1][0], end + 1)

    def form(self) -> dict[str, str]:
        """What the page sends with a decision: the plan's end as it stood, and what it proposes."""
        found = Forms(self.client.get(self.page()).content.decode()).found
        return next(f.fields for f in found if "proposed" in f.fields)

    def test_one_that_was_moved_meanwhile_is_looked_at_again(self):
        """Two people before the same page: the second would move it twice."""
        stood = self.form()
        end = self.cook().plan[-1][0]
        self.press(self.page(), act="take", end=stood["end"], proposed=stood["proposed"], minutes=stood["minutes"])
        self.assertEqual(self.kept, 1, self.told)
        moved = self.cook().plan[-1][0]
        self.assertAlmostEqual(moved, end + float(stood["proposed"]))
        for act in ("take", "alter"):
            self.refused(self.page(), "meanwhile; look again", act=act, end=stood["end"], proposed="3", minutes="3")
            self.assertAlmostEqual(self.cook().plan[-1][0], moved)
        self.press(self.page(), act="alter", end=f"{moved:.10g}", proposed="3", minutes="2")
        self.assertAlmostEqual(self.cook().plan[-1][0], moved + 2)

    def test_taken_is_what_was_proposed_whatever_is_typed_and_refused_says_it(self):
        stood = self.form()
        end = self.cook().plan[-1][0]
        self.press(self.page(), act="refuse", reason="no steam", **{k: stood[k] for k in ("end", "proposed", "minutes")})
        refused = Record.objects.filter(kind=Kind.DECISION).order_by("-pk").first()
        self.assertIn(f"{abs(float(stood['proposed'])):.0f} minutes", refused.says)
        self.assertAlmostEqual(self.cook().plan[-1][0], end)
        self.press(self.page(), act="take", end=stood["end"], proposed=stood["proposed"], minutes="55")
        self.assertAlmostEqual(self.cook().plan[-1][0], end + float(stood["proposed"]))

    def test_a_temperature_decided_for_this_minute_waits_for_nothing(self):
        """Its retest is at once where nothing has to come through first."""
        self.press("/cook/continuous/", choice="take", new_t_h="5.0")
        decided = Record.objects.filter(kind=Kind.DECISION, subject="cook.continuous").get()
        decided.data["retest_at"] = decided.at.isoformat()
        self.assertEqual(awaited(decided), "")
        decided.subject = "cook.999999.next"
        self.assertEqual(awaited(decided), "")
