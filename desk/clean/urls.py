from django.urls import path

from desk.clean import views

app_name = "clean"
urlpatterns = [
    path("", views.cascade_page, name="cascade"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
