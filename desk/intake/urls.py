from django.urls import path

from desk.intake import api, trend_views, views

app_name = "intake"
urlpatterns = [
    path("instruments/", views.instruments, name="instruments"),
    path("instruments/live/", views.live, name="live_deliveries"),
    path("instruments/type/", views.type_in, name="type_in"),
    path("instruments/calibrated/", views.calibrate, name="calibrate"),
    path("instruments/file/", views.send_file, name="send_file"),
    path("instruments/keys/", views.make_key, name="make_key"),
    path("instruments/keys/<int:pk>/revoke/", views.revoke_key, name="revoke_key"),
    path("instruments/deliveries/<int:pk>/", views.delivery, name="delivery"),
    path("instruments/deliveries/<int:pk>/turn/", views.turn, name="turn"),
    path("api/readings/", api.readings, name="readings"),
    path("trend/<str:tag>/", trend_views.trend, name="trend"),
]
