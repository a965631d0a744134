<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\CsvRows;
use Chorometra\Core\Format\UntrustedValue;
use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\DataProvider;

/** Texts of whatever encoding come in as UTF-8, or not at all. */
final class EncodingTest extends TestCase
{
    /** @return array<string, array{string, string}> encoding, and what stands in front */
    public static function encodings(): array
    {
        return [
            'UTF-8' => ['UTF-8', ''],
            'UTF-8 with its mark' => ['UTF-8', "\xEF\xBB\xBF"],
            'Windows-1252' => ['Windows-1252', ''],
            'UTF-16 little-endian' => ['UTF-16LE', "\xFF\xFE"],
            'UTF-16 big-endian' => ['UTF-16BE', "\xFE\xFF"],
            'UTF-16 without a mark' => ['UTF-16LE', ''],
        ];
    }

    #[DataProvider('encodings')]
    public function test_tables_and_features_come_in_as_utf_8(string $encoding, string $mark): void
    {
        $write = function (string $name, string $text) use ($encoding, $mark): string {
            file_put_contents("$this->folder/$name", $mark.mb_convert_encoding($text, $encoding, 'UTF-8'));

            return "$this->folder/$name";
        };
        $table = $write('p.csv', "longitude,latitude,label\n7.1,54.2,Dünengras\n7.2,54.3,Wald\n");
        self::assertSame(['longitude', 'latitude', 'label'], array_column((new CsvRows($table))->columns(), 'name'));
        self::assertSame([['Dünengras'], ['Wald']], (new CsvRows($table))->rows(0, 2, ['label']));
        self::assertSame('Dünengras', LabelledPoints::read($table, 4326)[0]['label']);
        $feature = '{"type":"Feature","geometry":{"type":"Point","coordinates":[7.1,54.2]},"properties":{"label":"Dünengras"}}';
        $json = $write('p.geojson', "{\"type\":\"FeatureCollection\",\"features\":[$feature,$feature]}");
        self::assertSame(['Dünengras', 'Dünengras'], array_column(array_column(GeoJson::all($json)['features'], 'properties'), 'label'));
        self::assertSame('Watt', UntrustedValue::file($write('a.json', '{"name":"Watt","about":"Dünen"}'), 1 << 20)?->at('name')->text());
    }

    public function test_what_is_no_text_is_refused(): void
    {
        foreach (["a,b\n1,\x00\x01\n", "a,b\n1,\x81x\n"] as $bytes) {
            file_put_contents("$this->folder/b.csv", $bytes);
            $this->problem(3, 'bytes that are not text', fn (): array => (new CsvRows("$this->folder/b.csv"))->rows(0, 1));
        }
    }
}
