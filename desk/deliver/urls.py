from django.urls import path

from desk.deliver import claim, deviation_views, machine, trace_views, views

app_name = "deliver"
urlpatterns = [
    path("", views.newest, name="newest"),
    path("claim/", claim.claim_page, name="claim"),
    path("machine/", machine.machine, name="machine"),
    path("trace/", trace_views.trace, name="trace"),
    path("trace/hold/", trace_views.recall, name="hold_all"),
    path("deviations/", deviation_views.board, name="deviations"),
    path("deviations/<str:number>/", deviation_views.one, name="deviation"),
    path("recall/<int:pk>/", trace_views.recall_paper, name="recall"),
    path("lots/", views.lot_list, name="lots"),
    path("source/<str:number>/", views.source, name="source"),
    path("lots/<str:number>/", views.lot_page, name="lot"),
    path("lots/<str:number>/close/", views.close, name="close"),
    path("lots/<str:number>/ticket.json", deviation_views.ticket_json, name="ticket_json"),
    path("lots/<str:number>/ticket/", views.ticket, name="ticket"),
]
