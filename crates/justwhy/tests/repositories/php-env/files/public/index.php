<?php

require dirname(__DIR__) . '/vendor/autoload.php';

load_env(dirname(__DIR__) . '/.env', $_SERVER['APP_ENV'] ?? 'dev');
