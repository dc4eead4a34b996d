from django.urls import path

from desk.bleach import views

app_name = "bleach"
urlpatterns = [
    path("", views.sequence, name="sequence"),
    path("compare/", views.compare, name="compare"),
    path("tanks/", views.tanks, name="tanks"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
