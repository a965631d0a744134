<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Format\CsvRows;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\Measures;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Format\Npz;
use Chorometra\Core\Format\SafeTensors;
use Chorometra\Core\Format\Table;
use Chorometra\Core\Problem;

/** What a file that is no raster and no features says it holds, and the facts of it. */
final class FileContents
{
    private const HEAD = 4096;

    /** By its first bytes and its own words; null for what does not say. */
    public static function of(string $path): ?PortType
    {
        $head = (string) @file_get_contents($path, false, null, 0, self::HEAD);
        if (str_starts_with($head, "PK\x03\x04") && Npz::is($path)) {
            $file = new Npz($path);

            return match (true) {
                ($file->document('measures')['type'] ?? null) === Measures::TYPE => PortType::Measures,
                ($file->document('tree')['type'] ?? null) === MergeTree::TYPE => PortType::Tree,
                default => null,
            };
        }
        $document = Document::type($head);
        if ($document !== null) {
            return PortType::from($document);
        }

        return str_ends_with(strtolower($path), '.safetensors') && preg_match('/^.{8}\{/s', $head) === 1 ? PortType::Detector : null;
    }

    /**
     * The rows of a table or of measures.
     *
     * @throws Problem where a file of the type has no rows
     */
    public static function rows(string $path, PortType $type): Table
    {
        return match ($type) {
            PortType::Measures => new Measures($path),
            PortType::Table => new CsvRows($path),
            default => throw Problem::call(basename($path).' has no rows.'),
        };
    }

    /**
     * What is worth knowing of a file; all of it is read, so that what is broken is told.
     *
     * @return array<string, mixed>
     */
    public static function facts(string $path, PortType $type): array
    {
        return match ($type) {
            PortType::Measures => self::measures(new Measures($path)),
            PortType::Tree => self::tree(MergeTree::read($path)),
            PortType::Detector => self::detector(new SafeTensors($path)),
            PortType::Table => ['rows' => ($rows = new CsvRows($path))->count(), 'columns' => implode(', ', array_column($rows->columns(), 'name'))],
            default => self::document(Document::read($path, $type->value)),
        };
    }

    /** @return array<string, mixed> */
    private static function measures(Measures $measures): array
    {
        return [
            'segments' => $measures->count(),
            'measures' => implode(
                ', ',
                array_map(
                    fn (array $column): string => $column['name'].($column['unit'] === null ? '' : " ({$column['unit']})"),
                    array_slice($measures->columns(), 1),
                ),
            ),
        ];
    }

    /** @return array<string, mixed> */
    private static function tree(MergeTree $tree): array
    {
        return [
            'pieces' => $tree->leaves,
            'merges' => count($tree->first),
            'up to a limit of' => $tree->height === [] ? null : max($tree->height),
            'rungs' => $tree->rung === [] ? 0 : max($tree->rung) + 1,
            'made' => $tree->made ?: null,
        ];
    }

    /** @return array<string, mixed> */
    private static function detector(SafeTensors $file): array
    {
        return [
            'tensors' => array_map(fn (array $tensor): string => $tensor['type'].' '.implode(' x ', $tensor['shape']), $file->tensors),
            'made' => $file->metadata ?: null,
        ];
    }

    /**
     * @param  array<string, mixed>  $document
     * @return array<string, mixed>
     */
    private static function document(array $document): array
    {
        $names = fn (string $of): ?string => isset($document[$of]) ? implode(', ', array_column((array) $document[$of], 'name')) : null;

        return array_filter([
            'name' => $document['name'] ?? null,
            'method' => $document['method'] ?? null,
            'classes' => $names('classes'),
            'bands' => $names('bands'),
            'couplets' => isset($document['couplets']) ? count((array) $document['couplets']) : null,
            'rules' => isset($document['rules']) ? count((array) $document['rules']) : null,
            'slots' => $names('slots'),
            'knobs' => $names('knobs'),
            'steps' => isset($document['steps']) ? implode(', ', array_column((array) $document['steps'], 'kind')) : null,
            'source' => $document['source'] ?? null,
        ], fn (mixed $fact): bool => $fact !== null);
    }
}
