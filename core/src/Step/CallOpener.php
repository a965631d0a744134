<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\ClippedImage;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Described;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Work\Context;

/** From names and texts, as the command line and the web application have them, to a checked call. */
final class CallOpener
{
    /**
     * @param  array<string, string|Image>  $inputs
     * @param  array<string, mixed>  $settings
     * @param  array<string, string>  $outputs
     * @param  string|null  $within  a file with polygons that all rasters are kept to
     *
     * @throws Problem where an input, setting or output does not fit
     */
    public static function call(Kind $kind, array $inputs, array $settings, array $outputs, Context $context, ?string $within = null): Call
    {
        $declaration = $kind->declaration();
        $values = $declaration->settings($settings);
        $declaration->checkInputs(array_keys($inputs), $values);
        $declaration->checkOutputs($outputs);
        if ($within !== null && ! file_exists($within)) {
            throw Problem::input("The area file $within does not exist.", 'within');
        }
        $area = $within === null ? null : Vectors::read($within);
        $opened = [];
        foreach ($inputs as $name => $input) {
            $port = $declaration->input($name);
            assert($port !== null);
            if (is_string($input) && ! file_exists($input)) {
                throw Problem::input("There is no file $input (input $name).", $name);
            }
            $opened[$name] = is_string($input) && $port->type->isRaster() ? new GeoTiffImage($input) : $input;
            if ($opened[$name] instanceof Image) {
                $opened[$name] = self::fitting($opened[$name], $port, $name);
            }
            if (is_string($opened[$name])) {
                self::fittingFile($opened[$name], $port, $name);
            }
            if ($area !== null && $opened[$name] instanceof Image) {
                $opened[$name] = ClippedImage::polygons($opened[$name], $area, 'within', $context);
            }
        }

        return new Call($declaration, $opened, $values, $outputs, $context);
    }

    /**
     * A file that says what it is may lie at a port only if the port takes that.
     *
     * @throws Problem with one sentence
     */
    private static function fittingFile(string $path, Port $port, string $name): void
    {
        $told = is_file($path) ? FileContents::of($path) : null;
        $isKnown = $port->type->isDocument() || in_array($port->type, [PortType::Measures, PortType::Tree, PortType::Detector], true);
        if (($isKnown && $told === null) || ($told !== null && ! $port->type->takes($told))) {
            throw Problem::input(
                basename($path).
                    ' holds '.
                    ($told === null ? 'something else' : $told->words()).
                    ", and the input $name needs {$port->type->words()}: {$port->help}",
                $name,
            );
        }
    }

    /**
     * An image that may lie at a port. Whole numbers in one band of which nobody says that they measure something are codes, or numbers
     * of segments, where such are wanted.
     *
     * @throws Problem with one sentence
     */
    public static function fitting(Image $image, Port $port, string $name): Image
    {
        $spec = $image->spec();
        $content = PortType::from($spec->content->value);
        if ($port->type->takes($content)) {
            return $image;
        }
        $band = $spec->bands[0];
        $isPlain =
            $spec->content === Content::Image &&
            ! $spec->type->isFloat() &&
            count($spec->bands) === 1 &&
            $band->role === null &&
            $band->unit === null &&
            $band->part === null;
        if ($isPlain && ($port->type === PortType::Segments || $spec->type->bytes() <= 2)) {
            return new Described($image, $spec->with(content: Content::from($port->type->value)));
        }
        throw Problem::input("{$image->name()} holds {$content->words()}, and the input $name needs {$port->type->words()}: {$port->help}", $name);
    }
}
