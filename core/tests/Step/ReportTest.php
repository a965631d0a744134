<?php

namespace Chorometra\Core\Tests\Step;

use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Report;
use Chorometra\Core\Tests\TestCase;

/** Figures by their types. */
final class ReportTest extends TestCase
{
    private function declaration(): Declaration
    {
        return new Declaration(
            'correct.light',
            'Light',
            'Evens light.',
            [],
            [],
            [new Port('result', PortType::Image, 'The image.'), new Port('flags', PortType::Classes, 'What became of pixels.')],
            'None.',
            figures: [
                Figure::number('sun.azimuth', 'sun azimuth', '°'),
                Figure::share('hazy', 'hazy'),
                Figure::named('metadata', 'metadata'),
                Figure::list('range', 'range'),
                Figure::table('bad', 'bad lines', ['band' => null, 'lines' => null, 'kept' => '%']),
                Figure::apart('tie-points'),
                Figure::curve('along', 'loss', ['round' => null, 'loss' => '%']),
                Figure::histogram('spread', 'spread', 'm'),
            ],
        );
    }

    public function test_each_figure_is_told_by_its_type_with_its_unit(): void
    {
        $figures = [
            'tie-points' => [['number' => 1]],
            'sun' => ['azimuth' => 140.5, 'elevation' => 35],
            'hazy' => 0.25,
            'metadata' => ['view:sun_elevation' => 41.5, 'platform' => 'CM-1'],
            'range' => [0.5, 2.0],
            'bad' => [
                ['band' => 'red', 'lines' => [['line' => 7, 'deviations' => 9.1], ['line' => 12, 'deviations' => 8.0]], 'kept' => 0.5],
                ['band' => 'nir', 'lines' => []],
            ],
            'result' => ['bands' => [['band' => 'red', 'mean' => 1.0]]],
            'flags' => ['classes' => [['code' => 1, 'class' => 'lit']]],
            'warning' => 'Faint.',
            'along' => [['round' => 1, 'loss' => 0.5], ['round' => 2, 'loss' => 0.25]],
            'spread' => ['minimum' => 0.0, 'maximum' => 2.0, 'counts' => [3, 1]],
            'seconds' => 1.5,
        ];
        self::assertEquals(
            [
                ['type' => 'warning', 'text' => 'Faint.'],
                ['type' => 'bands', 'label' => '', 'rows' => [['band' => 'red', 'mean' => 1.0]]],
                ['type' => 'classes', 'label' => 'flags', 'rows' => [['code' => 1, 'class' => 'lit']]],
                [
                    'type' => 'table',
                    'label' => 'bad lines',
                    'columns' => [['label' => 'band', 'unit' => null], ['label' => 'lines', 'unit' => null], ['label' => 'kept', 'unit' => '%']],
                    'rows' => [['red', '7, 12', 50.0], ['nir', null, null]],
                ],
                [
                    'type' => 'curve',
                    'label' => 'loss',
                    'columns' => [['label' => 'round', 'unit' => null], ['label' => 'loss', 'unit' => '%']],
                    'rows' => [[1, 50.0], [2, 25.0]],
                ],
                ['type' => 'histogram', 'label' => 'spread', 'unit' => 'm', 'minimum' => 0.0, 'maximum' => 2.0, 'counts' => [3, 1]],
                ['type' => 'value', 'label' => 'sun azimuth', 'value' => 140.5, 'unit' => '°'],
                ['type' => 'value', 'label' => 'hazy', 'value' => 25.0, 'unit' => '%'],
                ['type' => 'value', 'label' => 'sun elevation', 'value' => 41.5, 'unit' => null],
                ['type' => 'text', 'label' => 'platform', 'text' => 'CM-1'],
                ['type' => 'list', 'label' => 'range', 'values' => [0.5, 2.0], 'unit' => null],
                ['type' => 'value', 'label' => 'took', 'value' => 1.5, 'unit' => 's'],
            ],
            Report::of($this->declaration(), $figures),
        );
        self::assertSame([], Report::undeclared($this->declaration(), $figures));
    }

    public function test_a_curve_is_told_as_far_as_it_has_grown(): void
    {
        self::assertSame(
            [
                [
                    'type' => 'curve',
                    'label' => 'loss',
                    'columns' => [['label' => 'round', 'unit' => null], ['label' => 'loss', 'unit' => '%']],
                    'rows' => [[1, 50.0]],
                ],
            ],
            Report::growing($this->declaration(), ['along' => [[1, 0.5]], 'unknown' => [[1, 2]]]),
        );
        self::assertSame([], Report::growing($this->declaration(), []));
    }

    public function test_a_figure_that_nothing_declares_is_found(): void
    {
        self::assertSame(['guess'], Report::undeclared($this->declaration(), ['hazy' => 0.1, 'guess' => 2]));
        self::assertSame([], Report::of($this->declaration(), ['guess' => 2]));
    }
}
