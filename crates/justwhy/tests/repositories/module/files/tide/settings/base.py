import os

TIME_ZONE = "north"
DEBUG = False
STATIC_FOLDER = "static"
PAGE_SIZE = 25
STORE = {
    "engine": "sqlite",
    "name": "tides.db",
}
SECRET_KEY = os.environ.get("TIDE_SECRET_KEY", "only-for-development")
ALLOWED_HOSTS = ["localhost"]
