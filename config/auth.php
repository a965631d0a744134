<?php

return [
    'defaults' => ['guard' => 'web'],
    'guards' => ['web' => ['driver' => 'session', 'provider' => 'password']],
    'providers' => ['password' => ['driver' => 'one-password']],
];
