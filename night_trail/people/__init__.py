"""Who is here: sign-in and sign-out, passwords, the theme a visitor prefers."""
