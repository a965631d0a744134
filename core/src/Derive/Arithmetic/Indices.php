<?php

namespace Chorometra\Core\Derive\Arithmetic;

/** The spectral indices: one line each. Sources are from memory; the values are checked in the tests. */
final class Indices
{
    /** name => title, formula over roles, source */
    public const TABLE = [
        'ratio' => ['ratio of near infrared to red', 'nir / red', 'Jordan 1969, Ecology 50:663–666'],
        'ndvi' => ['vegetation index', '(nir - red) / (nir + red)', 'Rouse et al. 1974, NASA SP-351 I:309–317'],
        'ndwi' => ['water index', '(green - nir) / (green + nir)', 'McFeeters 1996, International Journal of Remote Sensing 17:1425–1432'],
        'mndwi' => ['modified water index', '(green - swir1) / (green + swir1)', 'Xu 2006, International Journal of Remote Sensing 27:3025–3033'],
        'evi' => [
            'enhanced vegetation index',
            '2.5 * (nir - red) / (nir + 6 * red - 7.5 * blue + 1)',
            'Huete et al. 2002, Remote Sensing of Environment 83:195–213',
        ],
        'evi2' => [
            'enhanced vegetation index of two bands',
            '2.5 * (nir - red) / (nir + 2.4 * red + 1)',
            'Jiang et al. 2008, Remote Sensing of Environment 112:3833–3845',
        ],
        'savi' => ['soil-adjusted vegetation index', '1.5 * (nir - red) / (nir + red + 0.5)', 'Huete 1988, Remote Sensing of Environment 25:295–309'],
        'msavi' => [
            'modified soil-adjusted vegetation index',
            '(2 * nir + 1 - sqrt((2 * nir + 1) * (2 * nir + 1) - 8 * (nir - red))) / 2',
            'Qi et al. 1994, Remote Sensing of Environment 48:119–126 (MSAVI2)',
        ],
        'nbr' => ['burn ratio', '(nir - swir2) / (nir + swir2)', 'Key & Benson 2006, USDA RMRS-GTR-164-CD'],
        'ndbi' => ['built-up index', '(swir1 - nir) / (swir1 + nir)', 'Zha, Gao & Ni 2003, International Journal of Remote Sensing 24:583–594'],
        'ndmi' => ['leaf moisture index', '(nir - swir1) / (nir + swir1)', 'Gao 1996, Remote Sensing of Environment 58:257–266'],
        'bsi' => [
            'bare soil index',
            '((swir1 + red) - (nir + blue)) / ((swir1 + red) + (nir + blue))',
            'Rikimaru, Roy & Miyatake 2002, Tropical Ecology 43:39–47',
        ],
    ];
}
