from .base import *

PAGE_SIZE = 100
STORE = {
    "engine": "postgres",
    "name": "tides",
}
ALLOWED_HOSTS = ["tide.example"]
