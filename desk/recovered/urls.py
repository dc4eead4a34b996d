from django.urls import path

from desk.recovered import pulper_views, views

app_name = "recovered"
urlpatterns = [
    path("", views.line_page, name="line"),
    path("pulper/", pulper_views.pulper, name="pulper"),
    path("pulper/keep/", pulper_views.keep_batch, name="keep_batch"),
    path("bench/<str:key>/", views.bench, name="bench"),
]
