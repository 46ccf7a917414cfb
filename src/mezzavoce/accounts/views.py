"""Signing in and out."""

from django.conf import settings
from django.contrib.auth.views import LoginView, LogoutView
from django.http import HttpRequest, HttpResponse, HttpResponseBadRequest
from django.shortcuts import redirect
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from .forms import SignInForm


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
    """Choose day or night, remembered by the browser."""
    chosen = request.POST.get("light")
    if chosen not in ("day", "night"):
        return HttpResponseBadRequest("The light is day or night.")
    back = request.POST.get("back", "/")
    if not url_has_allowed_host_and_scheme(back, allowed_hosts={request.get_host()}):
        back = "/"
    response = redirect(back)
    response.set_cookie("light", chosen, max_age=60 * 60 * 24 * 365, samesite="Lax", secure=settings.SECURE_COOKIES)
    return response
