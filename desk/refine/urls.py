from django.urls import path

from desk.refine import plates, views

app_name = "refine"
urlpatterns = [
    path("", views.refiners, name="refiners"),
    path("plates/", plates.plates, name="plates"),
    path("plates/keep/", plates.keep, name="keep_plates"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
