"""Addresses, by place. Stations keep their own."""

from django.urls import include, path

from desk.kit.station import installed

urlpatterns = [
    path("", include("desk.shift.urls")),
    path("", include("desk.shift.people_urls")),
    path("", include("desk.kit.urls")),
    path("log/", include("desk.log.urls")),
    path("lab/", include("desk.lab.urls")),
    path("schedule/", include("desk.schedule.urls")),
    path("mill/", include("desk.mill.urls")),
    path("", include("desk.moves.urls")),
    path("", include("desk.handbook.urls")),
    path("", include("desk.intake.urls")),
    path("instruments/plant/", include("desk.opc.urls")),
    path("cases/", include("desk.cases.urls")),
    *(path(f"{s.key}/", include(s.urls)) for s in installed()),
    path("", include("desk.stations.urls")),
]

handler400 = "desk.kit.errors.bad_request"
handler403 = "desk.kit.errors.forbidden"
handler404 = "desk.kit.errors.not_found"
handler500 = "desk.kit.errors.server_error"
