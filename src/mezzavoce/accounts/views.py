"""Signing in and out."""

from django.conf import settings
from django.contrib.auth.views import LoginView, LogoutView
from django.http import HttpRequest, HttpResponse, HttpResponseBadRequest
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from ..config.inputs import way_back
from .forms import SignInForm
from .models import Person


class SignIn(LoginView):
    """The sign-in page."""

    template_name = "accounts/sign_in.html"
    authentication_form = SignInForm
    redirect_authenticated_user = True


class SignOut(LogoutView):
    """Ends the session."""

    next_page = "sign-in"


@require_POST
def light(request: HttpRequest) -> HttpResponse:
    """Choose day or night, remembered for the person, or by the browser where nobody is signed in."""
    chosen = request.POST.get("light")
    if chosen not in ("day", "night"):
        return HttpResponseBadRequest("The light is day or night.")
    response = redirect(way_back(request))
    if request.user.is_authenticated:
        Person.objects.filter(pk=request.user.pk).update(light=chosen)
    response.set_cookie("light", chosen, max_age=60 * 60 * 24 * 365, samesite="Lax", secure=settings.SECURE_COOKIES)
    return response
