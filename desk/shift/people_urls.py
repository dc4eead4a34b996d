"""Signing in and out; people and their PINs."""

from django.contrib.auth.views import LogoutView
from django.urls import path

from desk.shift import people_views
from desk.shift import sign_in as views

app_name = "people"
urlpatterns = [
    path("sign-in/", views.sign_in, name="sign_in"),
    path("sign-in/as/", views.sign_in_as, name="sign_in_as"),
    path("sign-out/", LogoutView.as_view(), name="sign_out"),
    path("first/", people_views.first, name="first"),
    path("pin/", people_views.own_pin, name="own_pin"),
    path("people/", people_views.people, name="people"),
    path("people/<int:pk>/", people_views.change, name="change"),
]
