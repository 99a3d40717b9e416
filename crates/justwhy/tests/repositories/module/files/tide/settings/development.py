from .base import *

DEBUG = True
