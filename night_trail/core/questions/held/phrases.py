"""What people say for an effect with others held fixed."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name

PHRASES = (
    Phrase(
        "held fixed|held constant|others held fixed|with others held fixed|with the others held fixed|all else equal|all else being equal"
        "|other things equal|other things being equal|is it really so|really so|is it really|is it the|does still|still go with|still goes with"
        "|does still go with|adjusted|adjusted effect|adjusted effect of|controlled|net of the rest|regression of|multiple regression|linear model|linear model of"
        "|linear regression of|regress|logistic regression of|regression|held fixed with",
        vote=1.2,
    ),
    Phrase(
        "holding @ fixed|holding @ constant|holding @|controlling for @|control for @|adjusting for @|adjusted for @|adjust for @|corrected for @|correcting for @"
        "|with @ held fixed|with @ fixed|with @ held constant|when @ is held fixed|given the same @|for the same @|at the same @|net of @|accounting for @|allowing for @|is it the @|is it @|is it just the @|is it only the @|is it because of @",
        "fixed", column_name, vote=1.2,
    ),
    Phrase("as coefficients|coefficients|with coefficients", "shape", "coefficients", vote=0.2),
    Phrase("as residuals|residuals|what is left", "shape", "residuals", vote=0.2),
    Phrase("differing by @|its effect differing by @", "product", column_name, vote=0.2),
    Phrase("quadratic|squared|that bends|with a bend|with a square", "power", "2", vote=0.1),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is an effect held fixed: it is said, of two columns."""
    if asked.votes < 0.9 or asked.timed:
        return None
    return 0.9
