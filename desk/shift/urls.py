"""Shift, moves and the handover."""

from django.urls import path

from desk.shift import audit, handover_views, views

app_name = "shift"
urlpatterns = [
    path("", views.home, name="home"),
    path("shift/live/", views.live, name="live"),
    path("drift/", views.drift, name="drift"),
    path("moves/undo/<int:pk>/", views.undo_move, name="undo"),
    path("moves/<int:pk>/", views.decide_move, name="decide"),
    path("moves/cover/<str:vessel>/", views.decide_cover, name="decide_cover"),
    path("log/audit/", audit.audit, name="audit"),
    path("log/handover/", handover_views.handover, name="handover"),
    path("log/handover/<int:pk>/", handover_views.signed_handover, name="signed"),
]
