from django.urls import path

from desk.stations import views

app_name = "stations"
urlpatterns = [
    path("station/<str:key>/", views.station, name="station"),
    path("line/<str:key>/", views.line, name="line"),
    path("practice/", views.practice, name="practice"),
]
