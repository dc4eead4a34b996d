"""Small pages of the house."""

from django.urls import path

from desk.kit import views

app_name = "kit"
urlpatterns = [
    path("favicon.ico", views.icon, name="icon"),
    path("help/", views.help_page, name="help"),
    path("help/units/", views.own_units, name="own_units"),
    path("theme/", views.theme, name="theme"),
    path("keys/", views.keys, name="keys"),
]
