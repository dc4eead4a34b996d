from django.urls import path

from desk.cook import bench_views, continuous_views, house_views, views

app_name = "cook"
urlpatterns = [
    path("", views.design_page, name="design"),
    path("start/", views.start, name="start"),
    path("continuous/", continuous_views.vessel, name="continuous"),
    path("house/", house_views.house, name="house"),
    path("records/", views.records, name="records"),
    path("records/import/", views.bring_in, name="bring_in"),
    path("records/<int:number>/", views.one, name="one"),
    path("fit/<str:species>/", views.fit_page, name="fit"),
    path("bench/<str:key>/", bench_views.bench, name="bench"),
]
