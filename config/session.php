<?php

return ['driver' => 'array', 'lifetime' => 120, 'cookie' => 'chorometra', 'path' => '/', 'same_site' => 'lax'];
