<?php

return [
    'gauges' => [
        'timeout' => env('GAUGE_TIMEOUT', 20),
        'agent' => env('GAUGE_AGENT', 'tide-site'),
        'mode' => getenv('GAUGE_MODE') ?: 'poll',
    ],
    'mail' => ['from' => env('MAILER_FROM')],
];
