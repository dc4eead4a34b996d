"""Signing in and out."""

from django.contrib.auth.views import LogoutView
from django.urls import path

from desk.shift import sign_in as views

app_name = "people"
urlpatterns = [
    path("sign-in/", views.sign_in, name="sign_in"),
    path("sign-in/as/", views.sign_in_as, name="sign_in_as"),
    path("sign-out/", LogoutView.as_view(), name="sign_out"),
]
