<?php

namespace App\Http;

use App\Http\Middleware\Unwritable;
use App\System\FullDisk;
use Chorometra\Core\Problem;
use Chorometra\Core\Stopped;
use Illuminate\Database\Eloquent\ModelNotFoundException;
use Illuminate\Database\QueryException;
use Illuminate\Database\UniqueConstraintViolationException;
use Illuminate\Http\JsonResponse;
use Illuminate\Validation\ValidationException;
use Symfony\Component\HttpKernel\Exception\HttpExceptionInterface;

/** Errors as problem+json (RFC 9457) with one sentence. */
final class ProblemResponse
{
    public static function from(\Throwable $error): JsonResponse
    {
        [$status, $sentence, $about] = match (true) {
            $error instanceof Stopped => [409, 'This page has sent a newer request.', null],
            $error instanceof Problem && $error->getMessage() === Unwritable::SENTENCE => [507, Unwritable::SENTENCE, null],
            $error instanceof Problem => [422, $error->getMessage(), $error->about],
            $error instanceof ValidationException => [422, $error->validator->errors()->first(), array_key_first($error->errors())],
            $error instanceof Outdated => [412, $error->getMessage(), null],
            // what it belongs to was deleted meanwhile
            $error instanceof QueryException && str_contains($error->getMessage(), 'FOREIGN KEY constraint failed'),
            $error instanceof ModelNotFoundException => [404, 'This no longer exists: go back and reload.', null],
            $error instanceof HttpExceptionInterface => [$error->getStatusCode(), match ($error->getStatusCode()) {
                404 => 'This no longer exists: go back and reload.',
                405 => 'This is not possible here.',
                413 => 'The file exceeds the upload limit.',
                default => $error->getMessage() ?: 'The server refused this.',
            }, null],
            $error instanceof UniqueConstraintViolationException => [409, 'Somebody else did the same at this moment: reload and try again.', null],
            FullDisk::caused($error) => [507, FullDisk::SENTENCE, null],
            default => [500, 'The server failed; details are in storage/logs. Nothing was changed.', null],
        };

        return new JsonResponse(
            array_filter(
                [
                    'type' => 'about:blank',
                    'title' => $sentence,
                    'status' => $status,
                    'about' => $about,
                    'at' => $error instanceof Problem ? $error->at : null,
                    'now' => $error instanceof Outdated ? $error->now : null,
                ],
                fn ($value) => $value !== null,
            ),
            $status,
            ['Content-Type' => 'application/problem+json'],
        );
    }
}
