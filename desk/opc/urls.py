from django.urls import path

from desk.opc import views

app_name = "opc"
urlpatterns = [
    path("", views.links, name="links"),
    path("new/", views.new, name="new"),
    path("own-certificate/", views.certificate, name="certificate"),
    path("<int:pk>/", views.link, name="link"),
    path("<int:pk>/keep/", views.keep, name="keep"),
    path("<int:pk>/turn/", views.turn, name="turn"),
    path("<int:pk>/trust/", views.trust, name="trust"),
    path("<int:pk>/browse/", views.browse, name="browse"),
    path("<int:pk>/map/", views.map_node, name="map"),
    path("<int:pk>/points.csv", views.as_csv, name="csv"),
    path("points/<int:pk>/unmap/", views.unmap, name="unmap"),
]
