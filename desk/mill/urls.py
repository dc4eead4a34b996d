from django.urls import path

from desk.mill import views

app_name = "mill"
urlpatterns = [path("", views.setup, name="setup"), path("document/", views.document, name="document")]
