from django.urls import path

from desk.blend import broke, views

app_name = "blend"
urlpatterns = [
    path("", views.furnish, name="furnish"),
    path("broke/", broke.broke, name="broke"),
    path("put/", views.put, name="put"),
    path("back/<int:pk>/", views.set_back, name="set_back"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
