"""A mill built up step by step: every recipe runs and closes, steps name what they refuse, what is missing is said."""

import copy
import json

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput
from core.mill import draft as drafting
from core.mill.presets import PRESETS, RECIPES
from core.mill.reading import faults_of, read_document, read_mill
from core.mill.trial import balance_of, steps_of, tried
from core.mill.usual import stages_of, usual_moves
from core.practice.table import ROWS
from desk.shift.demo import DOCUMENT

MACHINE = {
    "name": "the Otter",
    "width_m": 3.2,
    "trim_m": 0.1,
    "retention_pct": 95,
    "speed_low": 300,
    "speed_high": 700,
    "efficiency_pct": 90,
    "line_letter": "A",
}


def begun() -> dict:
    return drafting.start(name="Otter Race", machine=MACHINE, safety_number="Site 2222")


def whole(recipe: str) -> dict:
    """A mill of one line of a recipe (with broke and a recovered line where it makes no pulp itself), ready to run."""
    document = begun()
    if not RECIPES[recipe].units:
        document = drafting.add_line(document, recipe="recovered", key="R", name="", feed_t_h=5.0)
    document = drafting.add_line(document, recipe=recipe, key="X", name="Line X", feed_t_h=4.0)
    return drafting.add_rows(drafting.add_grade(document, key="G", name="Sheet", gsm=80, speed_m_min=400))


@tag("core")
class Recipes(SimpleTestCase):
    def test_every_recipe_is_whole_runs_and_closes_unit_by_unit(self):
        for recipe in RECIPES:
            with self.subTest(recipe=recipe):
                document = whole(recipe)
                trial = tried(document)
                self.assertEqual(trial.trouble, "")
                for feed in (0.8, 40.0):  # first values go with the size of the line
                    sized = drafting.add_line(begun(), recipe=recipe, key="X", name="", feed_t_h=feed)
                    self.assertEqual(tried(sized).trouble, "", f"{recipe} at {feed} t/h")
                self.assertEqual([s.title for s in steps_of(document, trial) if not s.done], [])
                self.assertEqual((trial.unjoined, trial.left_out), ((), ()))
                for unit in trial.line.solution.network.units:
                    if unit.supply or not unit.outlets:
                        continue
                    balance = balance_of(trial.line, unit.id)
                    for into, out in (balance.fibre, balance.rest):
                        self.assertAlmostEqual(into, out, delta=1e-9 * max(1.0, abs(into)), msg=unit.id)

    def test_rows_are_proposed_once(self):
        document = whole("chemical")
        self.assertEqual(drafting.proposed_rows(document), [])
        self.assertIn("X.cook.kappa", [row["id"] for row in document["plan"]])

    def test_a_line_taken_out_leaves_nothing_of_it(self):
        before = drafting.add_line(begun(), recipe="recovered", key="R", name="", feed_t_h=5.0)
        after = drafting.take_line(drafting.add_line(before, recipe="mechanical", key="M", name="", feed_t_h=2.0), "M")
        for section in ("draws", "vessels", "sources", "lines", "plan"):
            self.assertEqual(after[section], before[section])
        self.assertEqual({u["id"] for u in after["units"]}, {u["id"] for u in before["units"]})


@tag("core")
class Steps(SimpleTestCase):
    def setUp(self):
        self.document = drafting.add_line(begun(), recipe="recovered", key="R", name="Deinked", feed_t_h=5.0)

    def refused(self, field: str, change, *given, **named) -> None:
        before = copy.deepcopy(self.document)
        with self.assertRaises(ImpossibleInput) as refusal:
            change(self.document, *given, **named)
        self.assertIn(field, [p.field for p in refusal.exception.problems])
        self.assertEqual(self.document, before)

    def test_what_cannot_be_is_refused_by_field(self):
        add = drafting.add_line
        self.refused("key", add, recipe="broke", key="R", name="", feed_t_h=1.0)
        self.refused("key", add, recipe="broke", key="two words", name="", feed_t_h=1.0)
        self.refused("feed_t_h", add, recipe="broke", key="B", name="", feed_t_h=0.0)
        self.refused("recipe", add, recipe="magic", key="B", name="", feed_t_h=1.0)
        self.refused("to", drafting.join, "R.float", "on", "nowhere")
        self.refused("to", drafting.join, "R.float", "on", "R.float")
        self.refused("outlet", drafting.join, "R.float", "back", "R.clean")
        self.refused("preset", drafting.add_unit, preset="magic", line="R")
        self.refused("kind", drafting.act_as, "R.float", "magic")
        self.refused("unit", drafting.take_unit, "machine")
        self.refused("name", drafting.set_share, "units", "R.float", "outlets[1].shares", "XYZ", 0.1)
        for place in ("outlets[9].shares", "id.x", "acts.stages[0]", ""):
            self.refused("place", drafting.set_share, "units", "R.float", place, "INK", 0.1)
        self.refused("value", drafting.set_share, "units", "R.float", "outlets[1].shares", "INK", -0.1)
        self.refused("sets.iso_pct", drafting.typed, "units", "R.float", {"sets.iso_pct": "white"})
        self.refused("sets.iso_pct", drafting.typed, "units", "R.float", {"sets.iso_pct": "140"})
        self.assertRaises(ImpossibleInput, drafting.add_grade, begun(), key="G", name="G", gsm=80, speed_m_min=300)

    def test_a_unit_put_in_and_taken_out_again_leaves_the_line_as_it_was(self):
        for preset in PRESETS:
            with self.subTest(preset=preset):
                more, key = drafting.add_unit(self.document, preset=preset, line="R", after="R.float")
                self.assertEqual((drafting.next_of(more, "R.float"), drafting.next_of(more, key)), (key, "R.clean"))
                less = drafting.take_unit(more, key)
                self.assertEqual(drafting.next_of(less, "R.float"), "R.clean")
                self.assertEqual(less["draws"], self.document["draws"])

    def test_a_thickener_follows_its_pulp(self):
        def to(document):
            return next(d["to"] for d in document["draws"] if d["tank"] == "R.thick" and d["kind"] == "thicken")

        self.assertEqual(to(self.document), "R.refine")
        more, key = drafting.add_unit(self.document, preset="clean", line="R", after="R.thick")
        self.assertEqual(to(more), key)

    def test_what_is_not_joined_and_what_lacks_a_field_is_said_and_the_rest_still_solves(self):
        loose = drafting.join(self.document, "R.float", "on", "")
        trial = tried(loose)
        self.assertIn(("R.float", "on"), trial.unjoined)
        self.assertIsNotNone(trial.line)
        step = next(s for s in steps_of(loose, trial) if s.key == "joints")
        self.assertFalse(step.done)
        self.assertEqual((step.section, step.part), ("units", "R.float"))
        lacking = copy.deepcopy(self.document)
        drafting.part_of(lacking, "units", "R.float")["loss_pct"] = 140
        self.assertEqual(tried(lacking).left_out, ("R.float",))
        step = next(s for s in steps_of(lacking, tried(lacking)) if s.key == "fields")
        self.assertEqual(step.part, "R.float")

    def test_typed_values_are_kept_by_their_place(self):
        new = drafting.typed(self.document, "units", "R.bales", {"feed_t_h": "6,5", "parts.INK": "0.008", "supply": "off"})
        unit = drafting.part_of(new, "units", "R.bales")
        self.assertEqual((unit["feed_t_h"], unit["parts"]["INK"], unit.get("supply")), (6.5, 0.008, None))
        washed, key = drafting.add_unit(self.document, preset="wash", line="R", after="R.float")
        longer = drafting.add_row(washed, "units", key, "acts.stages")
        self.assertEqual(len(drafting.part_of(longer, "units", key)["acts"]["stages"]), 3)
        self.assertEqual(drafting.take_row(longer, "units", key, "acts.stages"), washed)
        wells = {place for place, _, _ in drafting.wells_of(longer, "units", key)}
        self.assertLessEqual({"acts.df", "acts.stages[2][1]", "outlets[0].to"}, wells)

    def test_every_part_of_the_demo_mill_is_typed_back_as_it_is(self):
        demo = json.loads(DOCUMENT.read_text())
        self.assertEqual(faults_of(demo), ())
        for section in ("units", "vessels", "sources", "grades", "plan", "tanks", "piles", "draws"):
            for part in demo[section]:
                key = part.get("id") or part["key"]
                shown = {
                    place: ("on" if value else "off") if isinstance(value, bool) else str(value)
                    for place, said, value in drafting.wells_of(demo, section, key)
                    if value is not None
                }
                demo = drafting.typed(demo, section, key, shown)
        self.assertEqual(read_document(demo), read_document(json.loads(DOCUMENT.read_text())))


@tag("core")
class UsualMoves(SimpleTestCase):
    """Rows of the practice table at the units of a line: added once, whole, filled by the plan, typed and taken out."""

    def test_every_recipe_gets_moves_that_fit_its_plan_and_its_line(self):
        for recipe in RECIPES:
            document = drafting.add_moves(whole(recipe))
            with self.subTest(recipe=recipe):
                self.assertEqual(faults_of(document), ())
                self.assertEqual(usual_moves(document), [])  # once is enough
                mill = read_mill(document)
                line = tried(document).line
                for place in mill.moves.values():
                    facts = line.facts(place.unit, place.stage)
                    solved = ROWS[place.row].solved
                    self.assertTrue(
                        not solved or place.row == "B6" or any(fact in facts for fact in solved.values()), place.key
                    )
                    for row in place.readings.values():
                        self.assertTrue(row in mill.plan or row.startswith("tank."), row)

    def test_a_bleached_line_is_sampled_after_its_stages_and_its_rows_read_them(self):
        document = drafting.add_moves(whole("chemical"))
        stages = {(r["unit"], r["stage"], r["test"]) for r in document["plan"] if r.get("stage")}
        acts = next(u for u in document["units"] if u["id"] == "X.bleach")["acts"]
        for i, stage in enumerate(stages_of(acts), start=1):
            self.assertIn(("X.bleach", i, "ph"), stages)
            self.assertEqual(("X.bleach", i, "residual_clo2") in stages, stage.name[0] == "D")
        rows = {m["row"] for m in document["moves"]}
        self.assertLessEqual({"K9", "W1", "W7", "B1", "B3", "B5", "B6"}, rows)
        bright = next(m for m in document["moves"] if m["row"] == "B3")
        self.assertEqual(bright["readings"]["iso_pct"], "X.bleach.brightness")
        self.assertIn("residual_g_l", bright["readings"])

    def test_a_move_is_typed_well_by_well_and_cleared_again(self):
        document = drafting.add_moves(whole("chemical"))
        key = next(m["key"] for m in document["moves"] if m["row"] == "W7")
        wells = {place: said for place, said, _ in drafting.wells_of(document, "moves", key)}
        self.assertIn("opens.target", wells)
        self.assertEqual(wells["readings.kappa"].names, "plan")
        typed = drafting.typed(document, "moves", key, {"opens.target": "15,5", "readings.kappa": "X.cook.kappa"})
        part = drafting.part_of(typed, "moves", key)
        self.assertEqual((part["opens"]["target"], part["readings"]["kappa"]), (15.5, "X.cook.kappa"))
        self.assertEqual(faults_of(typed), ())
        cleared = drafting.typed(typed, "moves", key, {"opens.target": "", "readings.kappa": ""})
        self.assertNotIn("target", drafting.part_of(cleared, "moves", key)["opens"])
        self.assertNotIn("kappa", drafting.part_of(cleared, "moves", key)["readings"])
        with self.assertRaisesMessage(ImpossibleInput, "must be a number"):
            drafting.typed(document, "moves", key, {"opens.target": "much"})
        with self.assertRaisesMessage(ImpossibleInput, "at most"):
            drafting.typed(document, "moves", key, {"opens.target": "9999"})

    def test_what_a_move_opens_with_is_checked_against_its_model(self):
        document = drafting.add_moves(whole("chemical"))
        for value, said in ((-5.0, "at least"), ("soft", "must be a number")):
            spoilt = copy.deepcopy(document)
            part = next(m for m in spoilt["moves"] if m["row"] == "W7")
            part["opens"]["target"] = value
            told = [p for p in faults_of(spoilt) if p.field.endswith("opens.target")]
            with self.subTest(value=value):
                self.assertEqual(len(told), 1)
                self.assertIn(said, told[0].text)

    def test_the_demo_mill_keeps_its_own_and_lacks_few(self):
        document = json.loads(DOCUMENT.read_text())
        lacking = {m["key"] for m in usual_moves(document)}
        have = {(m["row"], m.get("unit"), m.get("stage", 0)) for m in document["moves"]}
        self.assertFalse({(m["row"], m["unit"], m.get("stage", 0)) for m in usual_moves(document)} & have)
        self.assertEqual(faults_of(drafting.add_moves(document)), ())
        self.assertNotIn("B3-K.bleach.3", lacking)
