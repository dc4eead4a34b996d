from django.urls import path

from desk.refine import views

app_name = "refine"
urlpatterns = [
    path("", views.refiners, name="refiners"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
