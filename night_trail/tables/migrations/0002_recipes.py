"""Bundles, recipes, previews; the file of a version becomes a file of its own."""

from typing import Any

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


def give_files(apps: Any, schema_editor: Any) -> None:
    """Every version that keeps its file gets a source file that its pieces belong to."""
    Version, SourceFile, SourcePart = (
        apps.get_model("tables", name) for name in ("Version", "SourceFile", "SourcePart")
    )
    for version in Version.objects.filter(source_parts__isnull=False).distinct():
        name = version.table.name if version.table else "table"
        version.source_file = SourceFile.objects.create(name=f"{name}.csv")
        version.save(update_fields=["source_file"])
        SourcePart.objects.filter(version=version).update(file=version.source_file)


class Migration(migrations.Migration):
    # pieces are moved and their column dropped: not within one SQLite transaction with foreign keys on
    atomic = False
    dependencies = [("tables", "0001_initial"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]

    operations = [
        migrations.CreateModel(
            name="Bundle",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=200)),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "owner",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="bundles",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={"ordering": ["-created", "-id"]},
        ),
        migrations.CreateModel(
            name="SourceFile",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=255)),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
            ],
        ),
        migrations.AddField(
            "table",
            "bundle",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="tables",
                to="tables.bundle",
            ),
        ),
        migrations.AddField(
            "table",
            "current",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="tables.version"
            ),
        ),
        migrations.AddField(
            "version",
            "base",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="derived",
                to="tables.version",
            ),
        ),
        migrations.AddField("version", "recipe", models.JSONField(default=list)),
        migrations.AddField("version", "places", models.JSONField(default=list)),
        migrations.AddField("version", "complaints", models.JSONField(default=list)),
        migrations.AddField("version", "part", models.CharField(blank=True, default="", max_length=300)),
        migrations.AddField("version", "settings", models.JSONField(default=dict)),
        migrations.AddField("version", "understood", models.JSONField(default=dict)),
        migrations.AddField(
            "version",
            "source_file",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="versions",
                to="tables.sourcefile",
            ),
        ),
        migrations.AddField(
            "sourcepart",
            "file",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="parts",
                to="tables.sourcefile",
            ),
        ),
        migrations.RunPython(give_files, migrations.RunPython.noop),
        migrations.RemoveConstraint("sourcepart", "a piece of a file once"),
        migrations.RemoveField("sourcepart", "version"),
        migrations.AlterField(
            "sourcepart",
            "file",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="parts", to="tables.sourcefile"
            ),
        ),
        migrations.AddConstraint(
            "sourcepart", models.UniqueConstraint(fields=("file", "part"), name="a piece of a file once")
        ),
        migrations.AddField(
            "arrival",
            "bundle",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="arrivals",
                to="tables.bundle",
            ),
        ),
        migrations.AddField(
            "arrival",
            "into",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="deliveries",
                to="tables.table",
            ),
        ),
        migrations.AddField("arrival", "wanted", models.BooleanField(default=True)),
        migrations.AddField("arrival", "part", models.CharField(blank=True, default="", max_length=300)),
        migrations.AddField("arrival", "settings", models.JSONField(default=dict)),
        migrations.AddField("arrival", "started", models.FloatField(default=0.0)),
        migrations.AddField(
            "arrival",
            "source_file",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="arrivals",
                to="tables.sourcefile",
            ),
        ),
        migrations.AlterField(
            "arrival",
            "state",
            models.CharField(
                choices=[
                    ("preview", "Preview"),
                    ("waiting", "Waiting"),
                    ("reading", "Reading"),
                    ("done", "Done"),
                    ("failed", "Failed"),
                    ("cancelled", "Cancelled"),
                ],
                default="waiting",
                max_length=10,
            ),
        ),
    ]
