<!doctype html>
<html lang="en">
<head>
    <meta charset="utf-8">
    <meta name="viewport" content="width=device-width, initial-scale=1">
    <title>Chorometra: sign in</title>
    <link rel="icon" href="/icon.svg">
    @vite(['resources/css/app.css'])
</head>
<body>
    <main class="mx-auto mt-[18vh] w-80">
        <h1 class="text-xl font-semibold">Chorometra<span class="text-verdigris">.</span></h1>
        <form method="post" action="/login" class="mt-6 flex flex-col gap-3">
            <label for="password">The password of this installation</label>
            <input id="password" name="password" type="password" required autofocus autocomplete="current-password" class="field" @error('password') aria-invalid="true" aria-describedby="problem" @enderror>
            @error('password')
                <p id="problem" role="alert" class="text-madder">{{ $message }}</p>
            @enderror
            <button class="action-first self-start">Sign in</button>
        </form>
    </main>
</body>
</html>
