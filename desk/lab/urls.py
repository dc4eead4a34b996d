from django.urls import path

from desk.lab import cause_views, chart_views, look_views, views

app_name = "lab"
urlpatterns = [
    path("", views.due_list, name="due"),
    path("row/<str:row_id>/", views.row_page, name="row"),
    path("chart/<str:row_id>/", chart_views.chart, name="chart"),
    path("chart/<str:row_id>/phase/", chart_views.phase, name="phase"),
    path("chart/<str:row_id>/alarms/", chart_views.alarms, name="alarms"),
    path("chart/<str:row_id>/limits/", chart_views.keep, name="keep_limits"),
    path("chart/<str:row_id>/phase/<int:pk>/back/", chart_views.back, name="phase_back"),
    path("cause/<str:row_id>/", cause_views.cause, name="cause"),
    path("cause/<str:row_id>/keep/", cause_views.keep, name="cause_keep"),
    path("looks/", look_views.looks, name="looks"),
    path("round/", look_views.begin, name="round"),
    path("round/<int:pk>/done/", look_views.finish, name="round_done"),
    path("standard/<str:row_id>/", views.standard, name="standard"),
    path("pace/<str:row_id>/", views.pace, name="pace"),
    path("record/<str:row_id>/", views.record, name="record"),
]
