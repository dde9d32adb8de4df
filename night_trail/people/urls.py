"""Addresses of sign-in, sign-out, passwords and the theme."""

from django.contrib.auth import views as auth
from django.contrib.auth.decorators import login_not_required
from django.urls import path, reverse_lazy

from night_trail.people import views

app_name = "people"
urlpatterns = [
    path(
        "sign-in/",
        login_not_required(
            auth.LoginView.as_view(template_name="people/sign_in.html", redirect_authenticated_user=True)
        ),
        name="sign-in",
    ),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
    path(
        "password/",
        auth.PasswordChangeView.as_view(
            template_name="people/password.html", success_url=reverse_lazy("tables:home")
        ),
        name="password",
    ),
    path("theme/", views.change_theme, name="theme"),
    path("enter/<str:key>/", views.enter, name="enter"),
]
