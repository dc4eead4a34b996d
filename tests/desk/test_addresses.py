"""Every address against every role, and every form against anything typed: made from the resolver, so none is forgotten."""

import re

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client, TestCase, tag
from django.urls import URLPattern, URLResolver, get_resolver
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from desk.instruments.models import Delivery
from desk.log.models import Kind, Record
from desk.mill.models import HeldLine, MillVersion, Proposal
from desk.people.models import Person, Role
from desk.people.table import MAY
from desk.shift.demo import PIN
from tests import make
from tests.desk.reading import assert_reads_well
from tests.profile import examples

ANY = frozenset(r.value for r in Role)
NOBODY = frozenset()
OPEN = {
    "people:sign_in",
    "people:sign_in_as",
    "people:first",
    "kit:theme",
    "kit:icon",
    "handbook:calc_list",
    "handbook:calc",
    "intake:readings",
}  # answer without a sign-in
# name: (roles that may GET, roles that may POST); a name that is not here may be read by all and posted to by nobody
RIGHTS = {
    "shift:decide": (ANY, MAY["move"]),
    "shift:decide_cover": (ANY, MAY["move"]),
    "shift:undo": (NOBODY, MAY["move"]),
    "people:people": (ANY, MAY["people"]),
    "people:change": (NOBODY, MAY["people"]),
    "people:first": (NOBODY, NOBODY),
    "people:own_pin": (ANY, ANY),
    "schedule:halts": (ANY, MAY["stop"]),
    "schedule:by_chance": (NOBODY, ANY),
    "schedule:end_halt": (NOBODY, MAY["stop"]),
    "shift:handover": (ANY, MAY["handover"]),
    "shift:signed": (ANY, MAY["note"] | MAY["handover"]),
    "shift:audit": (MAY["audit"], MAY["setup"]),
    "people:sign_in": (ANY, ANY),
    "people:sign_in_as": (NOBODY, ANY),
    "people:sign_out": (NOBODY, ANY),
    "kit:own_units": (NOBODY, ANY),
    "log:one": (MAY["read_trail"] - {"operator"}, NOBODY),
    "log:file": (MAY["read_trail"] - {"operator"}, NOBODY),
    "log:note": (MAY["note"], MAY["note"]),
    "lab:record": (MAY["record"], MAY["record"]),
    "handbook:checklist": (MAY["note"], MAY["note"]),
    "handbook:limits": (ANY, MAY["limits"]),
    "handbook:sign_limits": (NOBODY, MAY["sign_limits"]),
    "deliver:deviations": (ANY, MAY["deviate"]),
    "deliver:deviation": (ANY, MAY["deviate"]),
    "deliver:hold_all": (NOBODY, MAY["hold"]),
    "lab:standard": (NOBODY, MAY["record"]),
    "lab:pace": (NOBODY, MAY["ease"]),
    "lab:looks": (ANY, MAY["look"]),
    "lab:round": (NOBODY, MAY["look"]),
    "lab:round_done": (NOBODY, MAY["look"]),
    "lab:cause_keep": (NOBODY, MAY["note"]),
    "lab:phase": (NOBODY, MAY["fit"]),
    "lab:keep_limits": (NOBODY, MAY["fit"]),
    "lab:alarms": (NOBODY, MAY["fit"]),
    "lab:phase_back": (NOBODY, MAY["fit"]),
    "schedule:order": (NOBODY, MAY["plan"]),
    "schedule:put_plan": (NOBODY, MAY["plan"]),
    "schedule:bring_in": (MAY["plan"], MAY["plan"]),
    "schedule:bench": (ANY, MAY["plan"]),
    "schedule:start": (NOBODY, MAY["plan"] | MAY["move"]),
    "schedule:attach": (NOBODY, MAY["plan"]),
    "schedule:attach_design": (NOBODY, MAY["plan"]),
    "mill:bring_in": (MAY["propose_setup"], MAY["propose_setup"]),
    "mill:edit": (MAY["propose_setup"], MAY["propose_setup"]),
    "mill:change": (ANY, MAY["countersign"] | MAY["countersign_lead"]),
    "mill:draft": (MAY["propose_setup"], NOBODY),
    "mill:draft_against": (MAY["propose_setup"], NOBODY),
    "mill:draft_propose": (MAY["propose_setup"], MAY["propose_setup"]),
    "mill:draft_step": (NOBODY, MAY["propose_setup"]),
    "mill:draft_back": (NOBODY, MAY["propose_setup"]),
    "mill:draft_away": (NOBODY, MAY["propose_setup"]),
    "mill:case_hold": (NOBODY, MAY["hold_case"]),
    "mill:case_go": (NOBODY, MAY["hold_case"]),
    "mill:case_put": (NOBODY, MAY["move"]),
    "mill:put": (ANY, MAY["move"]),
    "mill:set_back": (NOBODY, MAY["move"]),
    "blend:put": (ANY, MAY["move"]),
    "refine:keep_plates": (NOBODY, MAY["record"]),
    "blend:set_back": (NOBODY, MAY["move"]),
    "handbook:calc": (ANY, ANY),
    "intake:readings": (NOBODY, NOBODY),
    "intake:type_in": (NOBODY, MAY["readings"]),
    "intake:send_file": (NOBODY, MAY["readings"]),
    "intake:calibrate": (NOBODY, MAY["calibrate"]),
    "opc:new": (NOBODY, MAY["link"]),
    "opc:keep": (NOBODY, MAY["link"]),
    "opc:turn": (NOBODY, MAY["link"]),
    "opc:trust": (MAY["link"], MAY["link"]),
    "opc:browse": (MAY["link"], NOBODY),
    "opc:certificate": (MAY["link"], NOBODY),
    "opc:map": (NOBODY, MAY["link"]),
    "opc:unmap": (NOBODY, MAY["link"]),
    "intake:make_key": (NOBODY, MAY["tokens"]),
    "intake:revoke_key": (NOBODY, MAY["tokens"]),
    "intake:turn": (NOBODY, MAY["readings"]),
    "cases:hold": (NOBODY, MAY["hold_case"]),
    "cases:let_go": (NOBODY, MAY["hold_case"]),
    "stock:bias": (NOBODY, MAY["move"]),
    "stock:put": (NOBODY, MAY["propose"]),
    "deliver:lot": (ANY, MAY["hold"] | MAY["release"] | MAY["divert"]),
    "deliver:close": (NOBODY, MAY["close_lot"]),
    "chips:note": (NOBODY, MAY["record"]),
    "recovered:keep_batch": (NOBODY, MAY["record"]),
    "recovered:read_batch": (NOBODY, MAY["record"]),
    "recovered:dump_batch": (NOBODY, MAY["record"]),
    "recovered:receive": (NOBODY, MAY["record"]),
    "recovered:keep_entry": (NOBODY, MAY["record"]),
    "wash:look": (NOBODY, MAY["record"]),
    "bleach:tanks": (ANY, MAY["record"]),
    "moves:row": (ANY, MAY["propose"]),
    "cook:start": (NOBODY, MAY["cook"]),
    "cook:one": (ANY, MAY["cook"] | MAY["record"] | MAY["move"]),
    "cook:continuous": (ANY, MAY["move"]),
    "cook:fit": (ANY, MAY["fit"]),
    "cook:bring_in": (MAY["fit"], MAY["fit"]),
}
READERS = ("operator",)  # what everybody may read is opened as this; what some may not, as every role
WRITERS = ("operator", "lead", "trainee")  # what everybody may post is posted as these
REFUSED = {403, 404, 405, 422, 302, 401}


def addresses(patterns=None, space: str = "", path: str = "/"):
    """(namespaced name, path with <converters>) of every address of the desk."""
    for p in get_resolver().url_patterns if patterns is None else patterns:
        here = path + str(p.pattern)
        if isinstance(p, URLResolver):
            yield from addresses(p.url_patterns, p.app_name or space, here)
        elif isinstance(p, URLPattern):
            yield f"{space}:{p.name}", here


LEAVES = ("people:sign_out", "people:sign_in", "people:pin", "people:own_pin")  # addresses that may end a session


@tag("slow")
class Addresses(TestCase):
    @classmethod
    def setUpTestData(cls):
        make.demo()
        pn, mr = make.person("pn"), make.person("mr")
        client = Client()
        client.force_login(pn, backend="django.contrib.auth.backends.ModelBackend")
        client.post("/cases/hold/", {"name": "x", "model": "stock.flow", "in.fibre_t_h": "8", "in.cons_pct": "3.5"})
        client.post("/mill/case/hold/", {"name": "x", "s.K.larch.wash.df": "2.4"})
        client.post("/mill/edit/vessels/S.tower/", {"lead_h": "1.5", "note": "slower"})
        client.post("/instruments/keys/", {"name": "x", "scope": "calc"})
        client.post("/lab/chart/S.chest.consistency/phase/", {"words": "x"})
        client.force_login(mr, backend="django.contrib.auth.backends.ModelBackend")
        sent = {"suspect": "KD-26317-B02-5", "words": "x y", "pin": PIN, "act": "rehearse"}
        client.post("/deliver/trace/hold/", sent)
        client.post("/deliver/deviations/", {"rule": "person", "words": "seen by the tests"})
        cls.deviation = Record.objects.get(status="opened").subject.removeprefix("deviation.")
        cls.card = make.issue_card(client)
        text = SimpleUploadedFile("seen.txt", b"seen by the tests")
        client.post("/log/note/", {"words": "seen by the tests", "files": [text]})
        cls.note = Record.objects.filter(kind=Kind.REMARK).order_by("-id").first().pk
        cls.delivery = Delivery.objects.create(door="file", name="x.csv", made_at=make.NOW, status="done").pk
        cls.batch = Record.objects.filter(status="batch").first().data["number"]
        cls.bales = Record.objects.filter(status="received").first().subject.removeprefix("bales.")
        cls.source = Record.objects.filter(kind=Kind.LOT_CLOSE, about__isnull=True).first().subject
        cls.fill = {
            "shift:decide": Record.objects.filter(kind=Kind.MOVE).first().pk,
            "shift:signed": Record.objects.filter(kind=Kind.HANDOVER).first().pk,
            "deliver:recall": Record.objects.get(kind=Kind.EVENT, subject="recall").pk,
            "schedule:issued": cls.card,
            "schedule:print": cls.card,
            "schedule:start": cls.card,
            "mill:change": Proposal.objects.first().pk,
            "mill:case_open": HeldLine.objects.first().pk,
            "mill:case_go": HeldLine.objects.first().pk,
            "cook:one": 1148,
            "log:file": cls.note,
            "lab:round_done": Record.objects.filter(status="round begun").first().pk,
            "lab:phase_back": Record.objects.get(kind=Kind.EVENT, status="phase").pk,
            "mill:version": MillVersion.objects.first().pk,
            "intake:delivery": cls.delivery,
            "intake:turn": cls.delivery,
        }

    def path(self, name: str, pattern: str) -> str:
        words = {
            "vessel": "S.tower",
            "row_id": "S.chest.consistency",
            "bench": "dilution",
            "number": "BM-26318-A01-2",
            "key": "cook",
            "vessel_key": "S.tower",
            "name": "stock.flow",
            "species": "larch",
            "tag": "meter.S.chest",
            "section": "vessels",
            "unit": "K.larch.o2",
        }

        own = {
            ("deliver:source", "number"): self.source,
            ("deliver:deviation", "number"): self.deviation,
            ("mill:edit", "key"): "S.tower",
            ("cook:bench", "key"): "alkaline",
            ("chips:bench", "key"): "demand",
            ("moves:row", "key"): "K10",
            ("wash:bench", "key"): "stage",
            ("bleach:bench", "key"): "charge",
            ("clean:bench", "key"): "screen",
            ("recovered:bench", "key"): "ink",
            ("refine:bench", "key"): "load",
            ("blend:bench", "key"): "flows",
            ("recovered:ticket", "number"): self.batch,
            ("recovered:bale_lot", "number"): self.bales,
            ("recovered:keep_entry", "number"): self.bales,
        }

        def value(match) -> str:
            kind, word = match.group(1) or "str:", match.group(2)
            if (name, word) == ("log:file", "n"):
                return "0"
            if (name, word) in own:
                return own[name, word]
            return str(self.fill.get(name, 1)) if kind == "int:" else words[word]

        return re.sub(r"<(\w+:)?(\w+)>", value, pattern)

    def test_every_address_against_every_role(self):
        found = list(addresses())
        self.assertGreater(len(found), 60)
        self.assertEqual(set(RIGHTS) - {n for n, _ in found}, set())
        for role in Role:
            person = Person.objects.filter(role=role.value).first()
            client = Client(raise_request_exception=False)
            client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
            for name, pattern in found:
                path = self.path(name, pattern)
                may_get, may_post = RIGHTS.get(name, (ANY, NOBODY))
                for method, allowed in (("get", may_get), ("post", may_post)):
                    if allowed == ANY and role.value not in (READERS if method == "get" else WRITERS):
                        continue
                    answer = getattr(client, method)(path)
                    if name in LEAVES:  # the next address is asked by somebody signed in again
                        client = Client(raise_request_exception=False)
                        client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
                    with self.subTest(role=role.value, method=method, path=path, status=answer.status_code):
                        self.assertLess(answer.status_code, 500)
                        self.assertTrue(name in LEAVES or "sign-in" not in getattr(answer, "url", ""))  # still signed in
                        if "html" in answer.get("Content-Type", "") and not answer.streaming:
                            assert_reads_well(self, answer.content.decode())
                        if role.value not in allowed:
                            self.assertIn(answer.status_code, REFUSED)
                            self.assertFalse(
                                method == "post"
                                and answer.status_code == 302
                                and "sign-in" not in answer.url
                                and name not in ("schedule:start", "people:sign_out")
                                and allowed
                            )
                        elif method == "get":
                            self.assertIn(answer.status_code, (200, 302))
                        else:
                            self.assertNotIn(
                                answer.status_code,
                                (401, 403, 405)
                                if name
                                not in (
                                    "shift:handover",
                                    "shift:signed",
                                    "mill:change",
                                    "deliver:lot",
                                    "cases:let_go",
                                    "mill:case_go",
                                )
                                else (401, 405),
                            )

    def test_every_address_without_a_sign_in(self):
        for name, pattern in addresses():
            path = self.path(name, pattern)
            for method in ("get", "post"):
                answer = getattr(Client(raise_request_exception=False), method)(path)
                with self.subTest(method=method, path=path):
                    if name in OPEN:
                        self.assertLess(answer.status_code, 500)
                        if path.startswith("/api/"):
                            self.assertIn(answer.status_code, (401, 405))
                    else:
                        self.assertEqual(answer.status_code, 302)
                        self.assertTrue(answer.url.startswith("/sign-in/"))

    def test_post_without_the_forms_token_is_refused(self):
        client = Client(enforce_csrf_checks=True)
        client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")
        for path in ("/log/note/", "/lab/record/machine.chest.ph/", "/log/handover/", "/cases/hold/", "/instruments/type/"):
            with self.subTest(path=path):
                self.assertEqual(client.post(path, {"words": "x"}).status_code, 403)


FORMS = {
    "/lab/record/machine.chest.consistency/": (
        "mode",
        "a.stock_g",
        "a.paper_g",
        "a.pad_g",
        "b.stock_g",
        "b.paper_g",
        "b.pad_g",
        "at",
        "third",
        "corrects",
        "lot",
        "sure",
        "words",
        "value_1",
    ),
    "/lab/record/K.larch_blow.kappa/": (
        "mode",
        "value_1",
        "value_2",
        "value_3",
        "at",
        "third",
        "sure",
        "words",
        "corrects",
        "reason",
    ),
    "/lab/chart/K.larch_blow.kappa/phase/": ("words", "at"),
    "/cards/checklist/": ("kind", "place", "one", "other", "again", "read_it", "energies", "why_energies"),
    "/lab/chart/K.larch_blow.kappa/limits/": ("words",),
    "/schedule/card/": (
        "order",
        "grade",
        "gsm",
        "sale_t",
        "speed_m_min",
        "start",
        "share_K",
        "share_S",
        "share_M",
        "share_R",
        "share_W",
        "share_B",
    ),
    "/schedule/order/": ("number", "order", "grade", "gsm", "sale_t", "speed_m_min", "start", "sale"),
    "/log/note/": ("words", "about"),
    "/stock/meter/K.chest.consistency/put/": ("inlet_pct", "target_pct", "measured_pct", "stock_l_min"),
    "/moves/cover/S.tower/": ("choice", "size", "reason", "next"),
    "/log/handover/": ("people", "watch", "equipment", "chemicals", "pin"),
    "/cases/hold/": ("name", "model", "back", "in.flow_l_min", "in.x"),
    "/instruments/type/": ("tag", "value", "at"),
    "/mill/edit/plan/K.larch_blow.kappa/": ("low", "high", "interval_min", "note", "who"),
    "/mill/edit/grades/EX70/": ("gsm", "shares.K", "tests[0].low", "note", "additives[0][1]"),
    "/help/units/": ("system", "freeness"),
    "/deliver/lots/BM-26318-A01-2/": ("action", "pin", "reason"),
    "/cook/records/1148/": ("act", "value", "minute", "minutes", "reason", "kappa", "residual"),
    "/cook/records/1147/": ("act", "kappa", "residual"),
    "/cook/fit/larch/": ("choice",),
    "/cook/start/": (
        "species",
        "digester",
        "ea_pct_naoh",
        "sulphidity_pct",
        "lw_m3_t",
        "wood_t",
        "m0",
        "t0",
        "m1",
        "t1",
        "m2",
        "t2",
        "target",
    ),
    "/cook/records/import/": ("text", "go", "map.kappa", "map.species"),
    "/cook/": ("species", "ea_pct_naoh", "m0", "t0", "m1", "t1", "solve", "target"),
    "/cook/records/": ("as", "species", "a", "b", "digester", "state"),
    "/cook/continuous/": ("wood_t_h", "new_t_h", "t2", "v0", "choice", "reason", "lw_m3_t"),
    "/cook/house/": ("digesters", "order"),
    "/chips/": ("share_0", "c4", "basis", "presteam"),
    "/wash/": (
        "line",
        "count",
        "kind0",
        "e0",
        "c0",
        "m0",
        "m1",
        "m2",
        "shower",
        "x0",
        "od_t_h",
        "loss_want",
        "salt",
        "economy",
    ),
    "/recovered/pulper/": (
        "vat",
        "lot0",
        "step",
        "corrects",
        "chest_level",
        "n0",
        "plan1",
        "kg0",
        "wet1",
        "count",
        "vat_m3",
        "water_m3",
        "cons_pct",
        "b0",
        "net_kw",
        "to_pct",
    ),
    "/recovered/pulper/keep/": ("vat", "lot0", "n0", "kg0", "wet0", "count", "b0", "chest_level", "wire", "corrects"),
    "/recovered/pulper/read/": ("number", "person", "pin"),
    "/recovered/pulper/dumped/": ("number",),
    "/recovered/yard/": ("kind", "bales", "kg", "document", "trouble", "field"),
    "/recovered/yard/receive/": ("kind", "bales", "kg", "moisture_pct", "post_pct", "pre_pct", "document"),
    "/deliver/claim/": ("days", "grade", "lot", "csv", "paper"),
    "/recovered/": ("line", "upto", "eric", "mechanical", "fl", "air4", "dose8", "ta8", "to_pct6", "want", "least"),
    "/deliver/machine/": (
        "gsm",
        "speed",
        "sheet_ash",
        "retention",
        "head_pct",
        "tray_pct",
        "cons",
        "allowed",
        "minutes",
        "share",
        "next_iso",
    ),
    "/blend/": ("share0", "share5", "iso_least", "csf_most", "reach", "price1", "low0", "high2", "chance", "least", "held"),
    "/blend/broke/": ("hours", "most", "iso", "saves", "suits0", "t0", "full0", "made1", "iso2"),
    "/blend/put/": ("s0", "s1", "s2", "s3", "s4", "s5", "why", "seen"),
    "/refine/plates/": ("of", "what", "trouble", "no_load_kw"),
    "/refine/plates/keep/": ("of", "what", "no_load_kw", "groove_mm", "entry"),
    "/refine/": ("line", "furnish", "csf_in", "od_t_h", "cons_pct", "want", "gross1", "idle1", "cel1", "rpm1"),
    "/clean/": ("line", "count", "kind0", "open0", "rv1", "pct0", "mm1", "accept1", "pulp", "want", "least"),
    "/wash/look/": ("line", "look", "drum", "words"),
    "/bleach/": ("seq", "wood", "ready", "kappa", "cod", "solve", "front", "s0c", "s0t", "s1m", "s2p", "clo2_g_l", "target"),
    "/bleach/compare/": ("a", "b", "wood", "kappa", "target"),
    "/bleach/tanks/": ("what", "where", "value", "second", "read_aloud", "words"),
    "/chips/note/": ("what", "where", "value", "words"),
    "/moves/row/K10/": ("top_c", "bottom_c", "liquor_m3", "flow_m3_h", "move", "value"),
    "/moves/row/T1/": ("csf_ml", "target", "inner", "wood", "sec_kwh_t", "rate_t_h", "value"),
    "/schedule/stops/": ("does", "rate_pct", "from", "to", "what", "planned", "corrects", "act"),
    "/people/": ("initials", "role", "post", "works"),
    "/pin/": ("pin", "new_pin", "again"),
    "/first/": ("code", "initials", "new_pin", "again"),
    "/drift/": ("show", "choice"),
    "/log/audit/": ("pin", "words", "who", "kind"),
    "/moves/row/K3/": ("choice", "size", "reason", "ask"),
    "/mill/import/": ("note", "file"),
    "/mill/draft/step/": ("do", "part", "key", "name", "recipe", "feed_t_h", "place", "value", "machine.width_m", "gsm"),
    "/mill/draft/propose/": ("note",),
    "/mill/case/hold/": ("name", "s.K.larch.cook.ea_pct_naoh", "f.K", "beside"),
    "/mill/case/put/": ("why", "s.K.larch.cook.ea_pct_naoh", "s.K.bleach.charge.1", "f.K", "seen.", "seen.K.larch.cook"),
    "/mill/edit/vessels/S.tower/": ("lead_h", "full_t", "name", "note", "shape.radius_m"),
    "/log/{note}/": ("act", "words", "reason", "value", "choice"),
    "/moves/undo/{decision}/": ("choice", "next"),
    "/people/{person}/": ("act", "role", "post"),
    "/sign-in/": ("initials", "pin", "next"),
    "/instruments/keys/": ("name", "scope"),
    "/schedule/card/attach/": ("case", "card"),
    "/schedule/card/design/": ("card", "species", "ea_pct_naoh", "m0", "t0", "m1", "t1", "wood_t"),
}
TYPED = (
    st.text(max_size=12)
    | st.floats().map(str)
    | st.integers(-(10**20), 10**20).map(str)
    | st.sampled_from(
        [
            "",
            "0",
            "-1",
            "1e999",
            "nan",
            "3,6",
            "10:50",
            "25:99",
            "weighings",
            "result",
            "none",
            "temperature",
            "blow",
            "lab",
            "time",
            "csv",
            "larch",
            "take",
            "alter",
            "refuse",
            "hold",
            "release",
            "EX70",
            "LB80",
            "K",
            "\x00",
            "'; DROP TABLE log_record; --",
            "<script>",
            "=1+1",
            "../..",
            "𝟛",
            make.PIN,
        ]
    )
)


@tag("slow")
class Forms(HypothesisTestCase):
    """Whatever is typed: no server error, and what is stored is finite and inside what nature allows."""

    @classmethod
    def setUpTestData(cls):
        make.demo()

    @settings(max_examples=examples(30))
    @given(st.data())
    def test_no_server_error_and_nothing_invalid_stored(self, data):
        from core.lab.methods import TESTS
        from desk.mill.state import MillState

        form = data.draw(st.sampled_from(sorted(FORMS)))
        typed = data.draw(st.dictionaries(st.sampled_from(FORMS[form]), TYPED, min_size=1))
        newest = Record.objects.order_by("-id")
        path = form.format(
            note=newest.filter(kind=Kind.REMARK).first().pk,
            decision=newest.filter(kind=Kind.DECISION).first().pk,
            person=make.person("tk").pk,
        )
        client = Client()
        client.force_login(
            make.person(data.draw(st.sampled_from(["mr", "pn", "jd", "admin"]))),
            backend="django.contrib.auth.backends.ModelBackend",
        )
        last = Record.objects.order_by("-id").first().pk
        for answer in (client.get(path, typed), client.post(path, typed)):
            self.assertLess(answer.status_code, 500)
        plan = MillState(make.NOW).mill.plan
        for r in Record.objects.filter(pk__gt=last, kind=Kind.RESULT):
            low, high = TESTS[plan[r.subject].test].possible
            self.assertTrue(low <= r.value <= high, (r.subject, r.value))
            self.assertLessEqual(r.at, make.NOW + (r.entered_at - r.entered_at) + (r.entered_at - make.NOW))

    @settings(max_examples=examples(24))
    @given(
        st.dictionaries(
            st.sampled_from(
                [
                    "find",
                    "basis",
                    "show",
                    "back",
                    "units",
                    "flow_l_min",
                    "cons_pct",
                    "hours",
                    "from",
                    "to",
                    "held",
                    "a",
                    "b",
                    "row",
                    "kind",
                    "who",
                    "reason",
                    "page",
                    "order",
                    "mode",
                    "corrects",
                ]
            ),
            TYPED,
        ),
        st.sampled_from(
            [
                "/",
                "/models/",
                "/models/stock.dilute/",
                "/stock/",
                "/stock/dilution/",
                "/trend/meter.S.chest/",
                "/cases/",
                "/log/",
                "/log/audit/",
                "/lab/",
                "/lab/record/machine.chest.ph/",
                "/schedule/card/",
                "/instruments/",
                "/help/",
                "/theme/",
            ]
        ),
    )
    def test_no_address_fails_on_its_query(self, query, path):
        client = Client()
        client.force_login(make.person("mr"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertLess(client.get(path, query).status_code, 500)
