from django.urls import path

from desk.chips import views

app_name = "chips"
urlpatterns = [path("", views.belt, name="belt"), path("bench/<str:key>/", views.bench, name="bench")]
