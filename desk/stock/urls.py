from django.urls import path

from desk.stock import vessel, views

app_name = "stock"
urlpatterns = [
    path("", views.meter, name="meter"),
    path("chests/", views.chests, name="chests"),
    path("vessel/<str:vessel_key>/", vessel.vessel, name="vessel"),
    path("meter/<str:row_id>/bias/", views.bias, name="bias"),
    path("meter/<str:row_id>/put/", views.put, name="put"),
    path("<str:bench>/", views.bench, name="bench"),
]
