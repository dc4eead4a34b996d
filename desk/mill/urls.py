"""Mill setup: read, take away, bring in, edit, countersign."""

from django.urls import path

from desk.mill import put_views, views

app_name = "mill"
urlpatterns = [
    path("", views.setup, name="setup"),
    path("document/", views.document, name="document"),
    path("schema/", views.schema, name="schema"),
    path("import/", views.bring_in, name="bring_in"),
    path("edit/<str:section>/<str:key>/", views.edit, name="edit"),
    path("change/<int:pk>/", views.change, name="change"),
    path("version/<int:pk>/", views.version, name="version"),
    path("in-force/", put_views.standing, name="in_force"),
    path("put/", put_views.put, name="put"),
    path("put/<int:pk>/back/", put_views.set_back, name="set_back"),
]
