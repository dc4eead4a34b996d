from django.urls import path

from desk.stations import views

app_name = "stations"
urlpatterns = [
    path("station/<str:key>/", views.station, name="station"),
    path("practice/", views.practice, name="practice"),
]
