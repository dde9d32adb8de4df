"""Addresses of sign-in, sign-out, passwords and the theme."""

from django.contrib.auth import views as auth
from django.contrib.auth.decorators import login_not_required
from django.urls import path, reverse_lazy

from night_trail.people import views

app_name = "people"
urlpatterns = [
    path("sign-in/", login_not_required(views.SignIn.as_view()), name="sign-in"),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
    path(
        "password/",
        auth.PasswordChangeView.as_view(
            template_name="people/password.html", success_url=reverse_lazy("tables:home")
        ),
        name="password",
    ),
    path("account/outbox/", views.outbox, name="outbox"),
    path("account/present/", views.present, name="present"),
    path("account/", views.account, name="account"),
    path("account/sign-out-everywhere/", views.sign_out_everywhere, name="sign-out-everywhere"),
    path("account/invite/", views.invite, name="invite"),
    path("account/invitations/<int:invitation>/withdraw/", views.withdraw, name="withdraw"),
    path("invited/<str:token>/", views.invited, name="invited"),
    path("theme/", views.change_theme, name="theme"),
    path("enter/<str:key>/", views.enter, name="enter"),
]
