<?php

namespace Chorometra\Core\Tests\Step;

use Chorometra\Core\Step\Condition;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\DataProvider;

/** Values as typed on the command line or sent by the browser. */
final class SettingTest extends TestCase
{
    /** @return iterable<string, array{Setting, mixed, mixed}> setting, what is given, what it means */
    public static function good(): iterable
    {
        $number = Setting::number('height', 2.5, 'How high.', 'm', -10, 10);
        yield 'a number' => [$number, '3', 3.0];
        yield 'a number from the browser' => [$number, 3, 3.0];
        yield 'spaces around' => [$number, ' -2.5 ', -2.5];
        yield 'a true minus sign' => [$number, '−2.5', -2.5];
        yield 'an exponent' => [$number, '1e-3', 0.001];
        yield 'the edge of the range' => [$number, '10', 10.0];
        yield 'nothing is the default' => [$number, '', 2.5];
        yield 'null is the default' => [$number, null, 2.5];
        yield 'per cent where they are asked for' => [Setting::number('assumed', 0.0, 'How bright.', '%', 0, 20), '5%', 5.0];
        yield 'per cent are the unit' => [Setting::number('assumed', 0.0, 'How bright.', '%', 0, 20), '5', 5.0];
        yield 'per cent where a fraction is asked for' => [$number, '5 %', 0.05];
        yield 'per cent in a list' => [Setting::numbers('limits', 'Where.'), '5%,0.1', [0.05, 0.1]];
        yield 'a whole number' => [Setting::whole('count', 1, 'How many.'), '12', 12];
        yield 'a whole number written as a float' => [Setting::whole('count', 1, 'How many.'), 12.0, 12];
        yield 'a choice' => [Setting::choice('way', ['up', 'down'], 'up', 'Which way.'), 'down', 'down'];
        yield 'choices' => [Setting::choices('ways', ['up', 'down'], ['up'], 'Which ways.'), 'down, up', ['down', 'up']];
        yield 'choices from the browser' => [Setting::choices('ways', ['up', 'down'], ['up'], 'Which ways.'), ['down'], ['down']];
        yield 'numbers' => [Setting::numbers('limits', 'Where.'), '0, 0.5,−1', [0.0, 0.5, -1.0]];
        yield 'texts' => [Setting::texts('names', 'What.'), 'open water, , reed', ['open water', 'reed']];
        yield 'a switch' => [Setting::yes('fill', true, 'Whether.'), 'no', false];
        yield 'a switch from the browser' => [Setting::yes('fill', false, 'Whether.'), true, true];
        yield 'a band by number' => [Setting::band('band', 'nir', 'Which.'), 4, '4'];
        yield 'a text' => [Setting::text('date', null, 'When.'), ' 2031-05-12 ', '2031-05-12'];
        yield 'a text left out' => [Setting::text('date', null, 'When.'), '', null];
    }

    #[DataProvider('good')]
    public function test_what_is_given_is_understood(Setting $setting, mixed $given, mixed $expected): void
    {
        self::assertSame($expected, $setting->value($given));
    }

    /** @return iterable<string, array{Setting, mixed, string}> setting, what is given, what is told */
    public static function bad(): iterable
    {
        $number = Setting::number('height', 2.5, 'How high.', 'm', -10, 10);
        yield 'too large' => [$number, '10.1', 'The setting height is 10.1; it must be between -10 and 10 m.'];
        yield 'no number' => [$number, 'high', 'The setting height needs a number, not “high”.'];
        yield 'a list' => [$number, ['1', '2'], 'not “a list”'];
        yield 'infinite' => [$number, '1e999', 'needs a number'];
        yield 'not a number' => [$number, 'NAN', 'needs a number'];
        yield 'below' => [Setting::number('size', 1, 'How large.', null, 1), '0', 'it must be at or above 1.'];
        yield 'above' => [Setting::number('size', 1, 'How large.', null, null, 5), '6', 'it must be at or below 5.'];
        yield 'not whole' => [Setting::whole('count', 1, 'How many.'), '1.5', 'needs a whole number, not 1.5'];
        yield 'no choice' => [Setting::choice('way', ['up', 'down'], 'up', 'Which way.'), 'left', 'it can be up, down'];
        yield 'no choice among choices' => [Setting::choices('ways', ['up', 'down'], [], 'Which.'), 'up,left', '“left”; it can be up, down'];
        yield 'one of the numbers' => [Setting::numbers('limits', 'Where.'), '1,two', 'not “two”'];
        yield 'no switch' => [Setting::yes('fill', true, 'Whether.'), 'perhaps', 'is a switch: yes or no'];
        yield 'missing' => [Setting::numbers('limits', 'Where to cut.', required: true), '', 'The setting limits is missing: Where to cut.'];
        yield 'no text' => [Setting::text('date', null, 'When.'), ['x'], 'needs a text'];
    }

    #[DataProvider('bad')]
    public function test_what_cannot_be_is_told_by_the_setting(Setting $setting, mixed $given, string $part): void
    {
        self::assertSame($setting->name, $this->problem(2, $part, fn () => $setting->value($given))->about);
    }

    public function test_a_declaration_tells_only_what_there_is(): void
    {
        self::assertSame(
            ['name' => 'height', 'type' => 'number', 'default' => 2.5, 'help' => 'How high.', 'unit' => 'm', 'least' => -10.0, 'most' => 10.0],
            Setting::number('height', 2.5, 'How high.', 'm', -10, 10)->toArray(),
        );
        self::assertSame(
            [
                'name' => 'way',
                'type' => 'choice',
                'default' => 'up',
                'help' => 'Which way.',
                'choices' => ['up'],
                'only' => ['of' => 'fast', 'values' => ['yes']],
                'meanings' => ['up' => 'to the sky'],
            ],
            Setting::choice('way', ['up'], 'up', 'Which way.', ['up' => 'to the sky'])
                ->onlyFor('fast=yes')
                ->toArray(),
        );
    }

    public function test_a_condition_holds_by_a_setting_or_by_an_input(): void
    {
        $limits = Condition::of('limits=percentiles|values');
        self::assertTrue($limits->holds(['limits' => 'values']));
        self::assertFalse($limits->holds(['limits' => 'none']));
        self::assertFalse($limits->holds([]));
        self::assertSame([true, false], [Condition::of('times=yes')->holds(['times' => true]), Condition::of('times=yes')->holds(['times' => false])]);
        self::assertSame([true, true, false], array_map(
            fn (array $inputs): bool => Condition::of('images')->holds([], $inputs),
            [['images'], ['classes', 'images:2'], ['classes']],
        ));
    }
}
