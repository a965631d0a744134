<?php

namespace Chorometra\Core\Arithmetic;

/** The spectral indices: one line each. Sources are from memory; the values are checked in the tests. */
final class Indices
{
    /** name => title, formula over roles, source */
    public const TABLE = [
        'ratio' => ['ratio of near infrared to red', 'nir / red', 'Jordan 1969, Ecology 50:663–666'],
        'ndvi' => ['vegetation index', '(nir - red) / (nir + red)', 'Rouse et al. 1974, NASA SP-351 I:309–317'],
        'gndvi' => [
            'green vegetation index',
            '(nir - green) / (nir + green)',
            'Gitelson, Kaufman & Merzlyak 1996, Remote Sensing of Environment 58:289–298',
        ],
        'ndre' => [
            'red edge vegetation index',
            '(nir - rededge) / (nir + rededge)',
            'Gitelson & Merzlyak 1994, Journal of Plant Physiology 143:286–292',
        ],
        'cig' => [
            'chlorophyll index of green',
            'nir / green - 1',
            'Gitelson, Gritz & Merzlyak 2003, Journal of Plant Physiology 160:271–282',
        ],
        'cire' => [
            'chlorophyll index of the red edge',
            'nir / rededge - 1',
            'Gitelson, Gritz & Merzlyak 2003, Journal of Plant Physiology 160:271–282',
        ],
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
        'osavi' => [
            'optimised soil-adjusted vegetation index',
            '(nir - red) / (nir + red + 0.16)',
            'Rondeaux, Steven & Baret 1996, Remote Sensing of Environment 55:95–107',
        ],
        'msavi' => [
            'modified soil-adjusted vegetation index',
            '(2 * nir + 1 - sqrt((2 * nir + 1) * (2 * nir + 1) - 8 * (nir - red))) / 2',
            'Qi et al. 1994, Remote Sensing of Environment 48:119–126 (MSAVI2)',
        ],
        'nbr' => ['burn ratio', '(nir - swir2) / (nir + swir2)', 'Key & Benson 2006, USDA RMRS-GTR-164-CD'],
        'nbr2' => [
            'burn ratio of the short-wave infrared',
            '(swir1 - swir2) / (swir1 + swir2)',
            'García & Caselles 1991, Geocarto International 6:31–37',
        ],
        'bai' => [
            'burned area index',
            '1 / ((0.1 - red) * (0.1 - red) + (0.06 - nir) * (0.06 - nir))',
            'Chuvieco, Martín & Palacios 2002, International Journal of Remote Sensing 23:5103–5110',
        ],
        'ndsi' => ['snow index', '(green - swir1) / (green + swir1)', 'Hall, Riggs & Salomonson 1995, Remote Sensing of Environment 54:127–140'],
        'ndbi' => ['built-up index', '(swir1 - nir) / (swir1 + nir)', 'Zha, Gao & Ni 2003, International Journal of Remote Sensing 24:583–594'],
        'ndmi' => ['leaf moisture index', '(nir - swir1) / (nir + swir1)', 'Gao 1996, Remote Sensing of Environment 58:257–266'],
        'bsi' => [
            'bare soil index',
            '((swir1 + red) - (nir + blue)) / ((swir1 + red) + (nir + blue))',
            'Rikimaru, Roy & Miyatake 2002, Tropical Ecology 43:39–47',
        ],
    ];
}
