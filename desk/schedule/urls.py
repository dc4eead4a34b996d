from django.urls import path

from desk.schedule import ahead, order_plan_views, plan_came, stop_fits, views

app_name = "schedule"
urlpatterns = [
    path("", views.queue, name="queue"),
    path("ahead/", ahead.ahead, name="ahead"),
    path("ahead/chance/", ahead.by_chance, name="by_chance"),
    path("ahead/json/", ahead.as_json, name="ahead_json"),
    path("plan/", order_plan_views.order_plan, name="plan"),
    path("plan/put/", order_plan_views.put_in_plan, name="put_plan"),
    path("plan/calendar.ics", order_plan_views.plan_calendar, name="calendar"),
    path("plan/<int:number>/", plan_came.against, name="against"),
    path("orders/bring-in/", order_plan_views.bring_in_orders, name="bring_in"),
    path("fits/", stop_fits.stop_fits, name="fits"),
    path("gates/", views.gates_page, name="gates"),
    path("stops/", views.halts_page, name="halts"),
    path("stops/<int:pk>/end/", views.end_halt, name="end_halt"),
    path("order/", views.new_order, name="order"),
    path("card/", views.bench, name="bench"),
    path("card/attach/", views.attach, name="attach"),
    path("card/design/", views.attach_design, name="attach_design"),
    path("card/<int:pk>/", views.issued, name="issued"),
    path("card/<int:pk>/print/", views.print_card, name="print"),
    path("card/<int:pk>/start/", views.start, name="start"),
]
