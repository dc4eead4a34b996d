from django.urls import path

from desk.handbook import api, safety_views, views

app_name = "handbook"
urlpatterns = [
    path("cards/", safety_views.cards, name="cards"),
    path("cards/limits/", safety_views.limits, name="limits"),
    path("cards/limits/<int:pk>/sign/", safety_views.sign_limits, name="sign_limits"),
    path("cards/checklist/", safety_views.checklist, name="checklist"),
    path("models/", views.register, name="register"),
    path("models/<str:name>/", views.working, name="working"),
    path("api/calc/", api.listing, name="calc_list"),
    path("api/calc/<str:name>/", api.one, name="calc"),
]
