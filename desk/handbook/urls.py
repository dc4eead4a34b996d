from django.urls import path

from desk.handbook import api, views

app_name = "handbook"
urlpatterns = [
    path("models/", views.register, name="register"),
    path("models/<str:name>/", views.working, name="working"),
    path("api/calc/", api.listing, name="calc_list"),
    path("api/calc/<str:name>/", api.one, name="calc"),
]
