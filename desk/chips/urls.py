from django.urls import path

from desk.chips import views

app_name = "chips"
urlpatterns = [
    path("", views.belt, name="belt"),
    path("meter/", views.meter, name="meter"),
    path("note/", views.note, name="note"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
