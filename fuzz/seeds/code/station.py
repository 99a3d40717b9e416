"""What the station reads."""

import os

from station import settings

# defaults-disagree: the catalogue has another default.
BATCH = int(os.environ.get("TIDE_COLLECTOR__BATCH", 25))
# read-not-declared
LIMIT = os.environ.get("TIDE_ARCHIVE__LIMIT", "none")
# hard-coded
FORECAST = settings.connect("forecast.tide.example")
# secret-in-code
DATABASE = settings.login("tides", "hush-hush-tides")

# unused-setting: one of the settings is not among them.
READ = [
    "alert.contact",
    "alert.siren",
    "alert.subject",
    "alert.threshold_cm",
    "archive.folder",
    "archive.stamp",
    "audit.keep_days",
    "audit.readers",
    "collector.interval",
    "collector.pool-max",
    "collector.pool_max",
    "collector.retries",
    "collector.workers",
    "database.password",
    "database.url",
    "forecast.address",
    "forecast.host",
    "forecast.model.name",
    "forecast.timeout",
    "sms.sender",
    "web.title",
    "web.greeting",
    "web.motto",
]
