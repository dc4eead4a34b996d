from django.urls import path

from desk.bleach import views

app_name = "bleach"
urlpatterns = [path("", views.sequence, name="sequence")]
