import os

os.environ.setdefault("TIDE_SETTINGS", "tide.settings.development")
