from django.urls import path

from desk.log import views

app_name = "log"
urlpatterns = [
    path("", views.trail, name="list"),
    path("note/", views.note, name="note"),
    path("<int:pk>/", views.one, name="one"),
    path("<int:pk>/file/<int:n>/", views.file, name="file"),
]
