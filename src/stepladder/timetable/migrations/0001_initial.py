

import django.db.models.deletion
import stepladder.facts
import stepladder.identity
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('library', '0001_initial'),
        ('people', '0006_number_once'),
    ]

    operations = [
        migrations.CreateModel(
            name='Room',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('public_id', models.CharField(default=stepladder.identity.new_public_id, editable=False, max_length=20, unique=True)),
                ('name', models.CharField(max_length=120)),
                ('seats', models.PositiveSmallIntegerField()),
            ],
            options={
                'ordering': ('venue__name', 'name'),
            },
        ),
        migrations.CreateModel(
            name='Venue',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('public_id', models.CharField(default=stepladder.identity.new_public_id, editable=False, max_length=20, unique=True)),
                ('name', models.CharField(max_length=120, unique=True)),
                ('address', models.CharField(blank=True, max_length=300)),
            ],
            options={
                'ordering': ('name',),
            },
        ),
        migrations.CreateModel(
            name='Session',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('public_id', models.CharField(default=stepladder.identity.new_public_id, editable=False, max_length=20, unique=True)),
                ('capacity', models.PositiveSmallIntegerField()),
                ('live_address', models.CharField(blank=True, max_length=300)),
                ('language', models.CharField(blank=True, max_length=40)),
                ('last_booking_day', models.DateField(blank=True, null=True)),
                ('order', models.CharField(choices=[('need', 'who needs it soonest'), ('asking', 'who asked first')], default='need', max_length=10)),
                ('state', models.CharField(choices=[('planned', 'planned'), ('held', 'held and signed off'), ('cancelled', 'cancelled')], default='planned', max_length=10)),
                ('note', models.TextField(blank=True)),
                ('instructors', models.ManyToManyField(blank=True, related_name='teaches', to='people.person')),
                ('module', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='sessions', to='library.module')),
                ('room', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='sessions', to='timetable.room')),
            ],
        ),
        migrations.CreateModel(
            name='Meeting',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('starts_at', models.DateTimeField()),
                ('ends_at', models.DateTimeField()),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='meetings', to='timetable.session')),
            ],
            options={
                'ordering': ('starts_at',),
            },
        ),
        migrations.CreateModel(
            name='Booking',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('public_id', models.CharField(default=stepladder.identity.new_public_id, editable=False, max_length=20, unique=True)),
                ('recorded_on', models.DateField(default=stepladder.facts._today)),
                ('revoked_on', models.DateField(blank=True, null=True)),
                ('state', models.CharField(choices=[('booked', 'booked'), ('waiting', 'waiting'), ('cancelled', 'cancelled'), ('attended', 'attended'), ('partly attended', 'partly attended'), ('absent', 'absent')], max_length=20)),
                ('asked_at', models.DateTimeField()),
                ('person', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='bookings', to='people.person')),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='bookings', to='timetable.session')),
            ],
        ),
        migrations.AddField(
            model_name='room',
            name='venue',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='rooms', to='timetable.venue'),
        ),
        migrations.AddConstraint(
            model_name='session',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('room__isnull', False), ('live_address', '')), models.Q(('room__isnull', True), models.Q(('live_address', ''), _negated=True)), _connector='OR'), name='session_in_a_room_or_live'),
        ),
        migrations.AddIndex(
            model_name='meeting',
            index=models.Index(fields=['starts_at', 'ends_at'], name='meeting_by_time'),
        ),
        migrations.AddConstraint(
            model_name='meeting',
            constraint=models.CheckConstraint(condition=models.Q(('ends_at__gt', models.F('starts_at'))), name='meeting_has_a_length'),
        ),
        migrations.AddIndex(
            model_name='booking',
            index=models.Index(fields=['session', 'state'], name='booking_by_session'),
        ),
        migrations.AddIndex(
            model_name='booking',
            index=models.Index(fields=['person', 'state'], name='booking_by_person'),
        ),
        migrations.AddConstraint(
            model_name='booking',
            constraint=models.UniqueConstraint(condition=models.Q(('revoked_on__isnull', True)), fields=('session', 'person'), name='seat_once_per_person'),
        ),
        migrations.AddConstraint(
            model_name='room',
            constraint=models.UniqueConstraint(fields=('venue', 'name'), name='room_once_in_a_venue'),
        ),
    ]
