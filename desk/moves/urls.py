from django.urls import path

from desk.moves import views

app_name = "moves"
urlpatterns = [path("moves/", views.table, name="table"), path("moves/row/<str:key>/", views.row, name="row")]
