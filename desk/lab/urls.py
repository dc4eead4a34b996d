from django.urls import path

from desk.lab import views

app_name = "lab"
urlpatterns = [
    path("", views.due_list, name="due"),
    path("row/<str:row_id>/", views.row_page, name="row"),
    path("record/<str:row_id>/", views.record, name="record"),
]
