<?php

namespace App\Steps;

use App\Models\Item;
use App\Models\Step;
use App\Models\Study;
use App\Services\Addresses;
use App\Studies\Area;
use App\Studies\StudyLegend;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Work\Context;

/** A step resolved, opened and run: the same for a run and for a trial, which sees a part of its inputs. */
final class StepRun
{
    /**
     * @param  array<string, string>  $outputs  paths
     * @param  (\Closure(array<string, string>, array<string, Item>): array<string, string|\Chorometra\Core\Raster\Image>)|null  $seen  paths of the
     *   inputs and items among them, to what the step sees of them
     * @return array{figures: array<string, mixed>, used: array<string, int>} and what stood at each input
     */
    public static function of(Step $step, Study $study, array $outputs, Context $context, ?\Closure $seen = null): array
    {
        $scratch = $context->folder();
        ['paths' => $paths, 'items' => $items, 'used' => $used] = Inputs::resolve($study, $step->inputs, $scratch);
        $kind = Registry::get($step->kind);
        $within = $step->within ? "$scratch/within.geojson" : null;
        if ($within !== null) {
            $used['within'] = Area::write($study, $within);
        }
        $call = CallOpener::call(
            $kind,
            self::dressed($study, $items, $seen === null ? $paths : $seen($paths, $items)),
            Addresses::addressed($step->declaration(), $step->settings),
            $outputs,
            $context,
            $within,
        );

        return ['figures' => Runner::run($kind, $call), 'used' => $used];
    }

    /**
     * Class maps have the colours of the study's legend, and so has what is made of them.
     *
     * @param  array<string, Item>  $items
     * @param  array<string, string|Image>  $inputs
     * @return array<string, string|Image>
     */
    private static function dressed(Study $study, array $items, array $inputs): array
    {
        foreach ($items as $name => $item) {
            if ($item->type === 'classes') {
                $input = $inputs[$name];
                $inputs[$name] = StudyLegend::seen($study, is_string($input) ? new GeoTiffImage($input) : $input);
            }
        }

        return $inputs;
    }
}
