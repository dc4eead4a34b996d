from django.urls import path

from desk.wash import views

app_name = "wash"
urlpatterns = [
    path("", views.line, name="line"),
    path("look/", views.look, name="look"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
