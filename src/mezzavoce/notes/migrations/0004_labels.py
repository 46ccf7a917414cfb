"""A mark has a label, and the mix in which it was found first."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("notes", "0003_mark_title")]
    operations = [
        migrations.RenameField("mark", "born_mix", "mix"),
        # The index goes on under its old name: the database needs it for the reference to the programme.
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    "ALTER TABLE notes_mark CHANGE letters label varchar(4) NOT NULL",
                    "ALTER TABLE notes_mark CHANGE label letters varchar(4) NOT NULL",
                )
            ],
            state_operations=[
                migrations.RemoveConstraint("mark", "letters_given_once"),
                migrations.RenameField("mark", "letters", "label"),
                migrations.AddConstraint(
                    "mark", models.UniqueConstraint(fields=["programme", "label"], name="letters_given_once")
                ),
            ],
        ),
    ]
