<!doctype html>
<html lang="en">
<head>
    <meta charset="utf-8">
    <meta name="viewport" content="width=device-width, initial-scale=1">
    <title>Chorometra</title>
    <link rel="icon" href="/icon.svg">
    @if (config('chorometra.password') !== null)
        <meta name="signed-in" content="yes">
    @endif
    @vite(['resources/css/app.css', 'resources/js/main.ts'])
</head>
<body>
    <div id="app"></div>
</body>
</html>
