<?php
// getenv('TIDE_COMMENTED') ?: 'x'
# getenv('TIDE_COMMENTED_TOO')
$level = getenv('TIDE_LEVEL') ?: 'info';
$port = (int) ($_ENV['TIDE_PORT'] ?? 8080);
$url = getenv("TIDE_URL");
$host = $_SERVER['TIDE_HOST'] ?? 'localhost';
$region = env('TIDE_REGION', 'north');
$team = isset($_ENV['TIDE_TEAM']) ? $_ENV['TIDE_TEAM'] : 'shorewatch';
$window = getenv('TIDE_WINDOW') !== false ? getenv('TIDE_WINDOW') : '15';
$token = $_ENV['TIDE_TOKEN'] ?? throw new RuntimeException('TIDE_TOKEN is not set');
$node = getenv('TIDE_NODE') ?: gethostname();
$debug = getenv('TIDE_DEBUG') === '1';
if (isset($_SERVER['TIDE_TRACE'])) {
    trace();
}
$_ENV['TIDE_ZONE'] = 'utc';
putenv('TIDE_PROXY=none');
$feed = $_ENV['TIDE_FEED'] ?? 'https://' . 'feed.tide.example';
$stage = $_ENV['TIDE_STAGE'];
return ['pool' => env('TIDE_POOL', 10), 'desk' => env('TIDE_DESK')];
$key = getenv('TIDE_KEY') or die('TIDE_KEY is not set');
