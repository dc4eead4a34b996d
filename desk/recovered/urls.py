from django.urls import path

from desk.recovered import outbreak, pulper_views, views, yard_views

app_name = "recovered"
urlpatterns = [
    path("", views.line_page, name="line"),
    path("pulper/", pulper_views.pulper, name="pulper"),
    path("pulper/keep/", pulper_views.keep_batch, name="keep_batch"),
    path("pulper/read/", pulper_views.read_batch, name="read_batch"),
    path("pulper/dumped/", pulper_views.dump_batch, name="dump_batch"),
    path("pulper/ticket/<str:number>/", pulper_views.ticket, name="ticket"),
    path("yard/", yard_views.yard, name="yard"),
    path("yard/receive/", yard_views.receive_lot, name="receive"),
    path("yard/<str:number>/", yard_views.lot, name="bale_lot"),
    path("yard/<str:number>/keep/", yard_views.keep_entry, name="keep_entry"),
    path("outbreak/", outbreak.outbreak, name="outbreak"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
