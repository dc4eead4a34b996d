"""Mill setup: read, take away, bring in, edit, countersign."""

from django.urls import path

from desk.mill import account_views, balance_views, case_views, draft_views, learn_views, put_views, views

app_name = "mill"
urlpatterns = [
    path("", views.setup, name="setup"),
    path("document/", views.document, name="document"),
    path("schema/", views.schema, name="schema"),
    path("import/", views.bring_in, name="bring_in"),
    path("edit/<str:section>/<str:key>/", views.edit, name="edit"),
    path("change/<int:pk>/", views.change, name="change"),
    path("version/<int:pk>/", views.version, name="version"),
    path("draft/", draft_views.draft, name="draft"),
    path("draft/step/", draft_views.step, name="draft_step"),
    path("draft/back/", draft_views.back, name="draft_back"),
    path("draft/away/", draft_views.throw_away, name="draft_away"),
    path("draft/against/", draft_views.against, name="draft_against"),
    path("draft/propose/", draft_views.propose, name="draft_propose"),
    path("in-force/", put_views.standing, name="in_force"),
    path("learn/", learn_views.listing, name="learn"),
    path("learn/<str:unit>/", learn_views.unit_page, name="learn_unit"),
    path("balance/", balance_views.balance, name="balance"),
    path("accounts/", account_views.accounts, name="accounts"),
    path("case/", case_views.case, name="case"),
    path("case/json/", case_views.as_json, name="case_json"),
    path("case/hold/", case_views.hold, name="case_hold"),
    path("case/put/", case_views.put, name="case_put"),
    path("case/<int:pk>/", case_views.open_held, name="case_open"),
    path("case/<int:pk>/go/", case_views.let_go, name="case_go"),
    path("put/", put_views.put, name="put"),
    path("put/<int:pk>/back/", put_views.set_back, name="set_back"),
]
