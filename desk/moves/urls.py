from django.urls import path

from desk.moves import views

app_name = "moves"
urlpatterns = [
    path("moves/", views.table, name="table"),
    path("moves/learnt/", views.how_they_worked, name="learnt"),
    path("moves/row/<str:key>/", views.row, name="row"),
]
