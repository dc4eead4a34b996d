from django.shortcuts import redirect


def sequence(request):
    return redirect("/line/bleach/")
