from typing import Any

import django.db.models.deletion
from django.db import migrations, models
from django.db.models import F, OuterRef, Subquery


def tell(apps: Any, schema_editor: object) -> None:
    comment, stop = apps.get_model("tales", "Comment"), apps.get_model("tales", "Stop")
    its_tale = stop.objects.filter(pk=OuterRef("stop_id")).values("tale_id")[:1]
    comment.objects.update(tale_id=Subquery(its_tale), stop_was=F("stop_id"))


class Migration(migrations.Migration):
    dependencies = [("tales", "0008_images_notes_chips")]

    operations = [
        migrations.AddField(
            "comment",
            "tale",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="comments",
                to="tales.tale",
            ),
        ),
        migrations.AddField(
            "comment", "stop_was", models.PositiveBigIntegerField(default=0), preserve_default=False
        ),
        migrations.RunPython(tell, migrations.RunPython.noop),
        migrations.AlterField(
            "comment",
            "tale",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="comments", to="tales.tale"
            ),
        ),
        migrations.AlterField(
            "comment",
            "stop",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="comments",
                to="tales.stop",
            ),
        ),
    ]
