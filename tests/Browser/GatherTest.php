<?php

namespace Tests\Browser;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\MakesRasters;
use Facebook\WebDriver\WebDriverBy;

/** Files that come by hand: a bundle of an unknown sensor packed doubly, an image on another grid, and what is made of several. */
class GatherTest extends BrowserTestCase
{
    use MakesRasters;

    /** A chequered scene: bright squares of 40 pixels. */
    private function band(string $name, Grid $grid, int $bright): void
    {
        $values = [];
        for ($y = 0; $y < $grid->height; $y++) {
            for ($x = 0; $x < $grid->width; $x++) {
                $values[] = (intdiv($x, 40) + intdiv($y, 40)) % 2 ? $bright : 500;
            }
        }
        $this->raster($name, new RasterSpec($grid, [new Band], SampleType::UInt16, null), [$values]);
        @unlink("$this->folder/".preg_replace('/tif$/', 'stac.json', $name));
    }

    public function test_a_bundle_nobody_knows_an_image_on_another_grid_and_a_mosaic(): void
    {
        mkdir("$this->folder/delivery");
        $west = new Grid(240, 200, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632);
        foreach (['B1' => 2000, 'B2' => 3000, 'B3' => 9000] as $name => $bright) {
            $this->band("delivery/ODD_$name.tif", $west, $bright);
        }
        file_put_contents("$this->folder/delivery/ODD_MTD.txt", "GROUP = SCENE\n  SPACECRAFT = \"ODDITY-3\"\nEND_GROUP = SCENE\n");
        exec('cd '.escapeshellarg($this->folder).' && tar -czf scene.tar.gz delivery');
        $zip = new \ZipArchive;
        $zip->open("$this->folder/order.zip", \ZipArchive::CREATE);
        $zip->addFile("$this->folder/scene.tar.gz", 'data/scene.tar.gz');
        $zip->addFromString('readme.txt', 'Enclosed is your order.');
        $zip->close();

        $this->open('/');
        $this->fill('[data-new-study]', 'Oddities');
        $this->press('[data-create]');
        $this->press('[data-kind="gather.bundle"]');
        $this->browser->findElement(WebDriverBy::cssSelector('[data-file]'))->sendKeys("$this->folder/order.zip");
        // what was found is shown; it is not known, so its bands are assigned by hand
        $this->reads('[data-facts]', 'not known here');
        $this->reads('[data-facts]', 'files and bands');
        foreach (['B1' => 'green', 'B2' => 'red', 'B3' => 'nir'] as $name => $role) {
            $this->browser->findElement(WebDriverBy::xpath("//*[@data-assign]//label[contains(., 'ODD_$name.tif')]//option[@value='$role']"))->click();
        }
        $this->press('[data-run]');
        $this->see('[data-download=multispectral]');
        $this->reads('[data-caption=b]', 'nir–red–green');
        $this->keys('w');

        // an image further east in the zone next door
        $corner = Crs::fromGeographic(32631, ...Crs::toGeographic(32632, 434_000.0, 6_072_000.0) ?? [0, 0]) ?? [0, 0];
        $east = new Grid(200, 180, [round($corner[0]), 25.0, 0.0, round($corner[1]), 0.0, -25.0], 32631);
        $this->band('east.tif', $east, 9000);
        $this->press('[data-stage=gather]');
        $this->press('[data-kind="gather.image"]');
        $this->browser->findElement(WebDriverBy::cssSelector('[data-file]'))->sendKeys("$this->folder/east.tif");
        $this->reads('[data-facts]', 'EPSG:32631 WGS 84 / UTM zone 31N');
        $this->press('[data-run]');
        $this->see('[data-download=result]');
        // it stands where it lies, beside the other, though its grid is turned against that
        self::assertTrue($this->get('studies/2')['steps'][1]['items'][0]['raster']['warped']);

        // a step that needs one grid says so, and offers the alignment
        $this->press('[data-stage=gather]');
        $this->press('[data-kind="gather.stack"]');
        foreach (['1/multispectral', '2/result'] as $key) {
            [$number, $output] = explode('/', $key);
            $step = $this->get('studies/2')['steps'][(int) $number - 1]['id'];
            $this->choose('[data-add=images]', "$step/$output");
        }
        $this->reads('[data-apart]', 'lies on another grid than 1 multispectral');
        $this->press('[data-align]');
        $this->press('[data-run]');
        $this->see('[data-step="3"]');
        $this->see('[data-download=result]');
        $aligned = $this->get('studies/2')['steps'][2];
        self::assertSame(
            ['gather.reproject', 'cubic', 240, 32632],
            [$aligned['kind'], $aligned['settings']['resampling'], $aligned['items'][0]['raster']['width'], $aligned['items'][0]['raster']['epsg']],
        );

        // the two joined: one band each, from the nir of the first
        $this->press('[data-stage=gather]');
        $this->press('[data-kind="gather.mosaic"]');
        $steps = $this->get('studies/2')['steps'];
        $this->choose('[data-add=images]', "{$steps[1]['id']}/result");
        $this->choose('[data-add=images]', "{$steps[2]['id']}/result");
        $this->choose('#setting-overlap', 'blend');
        $this->press('[data-run]');
        $this->until(fn (): bool => ($this->get('studies/2')['steps'][3]['state'] ?? '') === 'done');
        $mosaic = $this->get('studies/2')['steps'][3]['items'][0];
        $image = new GeoTiffImage(glob("$this->folder/files/studies/2/4-*-result.tif")[0] ?? '');
        self::assertSame(32631, $image->spec()->grid->epsg);
        self::assertTrue($mosaic['raster']['warped']);
        // a wrong order of inputs can be turned round, and an input left out
        $this->press('[data-input=images] li:nth-child(2) button[title="before the one above"]');
        $this->reads('[data-input=images] li:first-child', '3 reprojected image');
        $this->press('[data-input=images] li:first-child button[title="leave it out"]');
        $this->press('[data-run]');
        $this->reads('[data-input=images] [role=alert]', 'two images or more');
        $this->noErrors();
    }
}
