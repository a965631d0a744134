<?php

namespace App\Services;

use App\Models\Archive;
use Chorometra\Core\Problem;

/** Imagery archives that scenes are ordered from: the stand-in that ships with the product, and those that were added. */
final class Archives
{
    public const STANDIN = 'stand-in';

    /** @return list<array{id: int|null, name: string, address: string}> */
    public static function all(): array
    {
        $added = array_map(
            fn (Archive $archive): array => ['id' => $archive->id, 'name' => $archive->name, 'address' => $archive->url],
            array_values(Archive::query()->orderBy('id')->get()->all()),
        );

        return [['id' => null, 'name' => 'Orvane archive (stand-in)', 'address' => self::STANDIN], ...$added];
    }

    /** Where an archive really is: the stand-in moves with the server. */
    public static function url(string $address): string
    {
        if ($address === self::STANDIN) {
            return rtrim(config()->string('app.url'), '/').'/standin/archive';
        }
        foreach (self::all() as $archive) {
            if ($archive['address'] === $address) {
                return $address;
            }
        }
        throw Problem::call("The archive “{$address}” is not known: add it on the archive screen.", 'archive');
    }
}
