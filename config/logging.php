<?php

return ['default' => 'single', 'channels' => ['single' => ['driver' => 'single', 'path' => storage_path('logs/chorometra.log'), 'level' => 'warning']]];
