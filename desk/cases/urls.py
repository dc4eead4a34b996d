from django.urls import path

from desk.cases import views

app_name = "cases"
urlpatterns = [
    path("", views.listing, name="list"),
    path("hold/", views.hold_case, name="hold"),
    path("<int:pk>/", views.one, name="one_case"),
    path("<int:pk>/let-go/", views.let_go, name="let_go"),
]
