<?php

namespace Tests\Browser;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Facebook\WebDriver\Chrome\ChromeOptions;
use Facebook\WebDriver\Exception\ElementClickInterceptedException;
use Facebook\WebDriver\Exception\NoSuchElementException;
use Facebook\WebDriver\Exception\StaleElementReferenceException;
use Facebook\WebDriver\Remote\DesiredCapabilities;
use Facebook\WebDriver\Remote\RemoteWebDriver;
use Facebook\WebDriver\Remote\RemoteWebElement;
use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;
use PHPUnit\Framework\TestCase;
use Symfony\Component\Process\Process;
use Tests\StartsApplication;

/** The real interface in a headless browser: what a person does, and what they see. */
abstract class BrowserTestCase extends TestCase
{
    use StartsApplication {
        until as private asked;
    }

    protected RemoteWebDriver $browser;

    private Process $application;

    private Process $driver;

    protected function setUp(): void
    {
        $this->prepare();
        $this->application = $this->start();
        $port = self::freePort();
        $this->driver = new Process(['chromedriver', "--port=$port", '--allowed-ips=127.0.0.1'], timeout: null);
        $this->driver->start();
        $this->until(fn (): bool => is_resource(@fsockopen('127.0.0.1', $port)));
        $options = new ChromeOptions;
        $options->setBinary('/usr/bin/chromium');
        $options->addArguments([
            '--headless',
            '--no-sandbox',
            '--disable-gpu',
            '--disable-quic',
            '--no-first-run',
            '--disable-background-networking',
            '--disable-component-update',
            '--disable-sync',
            '--hide-scrollbars',
            '--force-device-scale-factor=1',
            '--window-size=1280,943',
            "--user-data-dir=$this->folder/browser",
        ]);
        $capabilities = DesiredCapabilities::chrome();
        $capabilities->setCapability(ChromeOptions::CAPABILITY_W3C, $options);
        $capabilities->setCapability('goog:loggingPrefs', ['browser' => 'ALL']);
        $this->browser = RemoteWebDriver::create("http://127.0.0.1:$port", $capabilities, 60_000, 120_000);
    }

    protected function tearDown(): void
    {
        if (isset($this->browser)) {
            if (! $this->status()->isSuccess()) {
                $this->browser->takeScreenshot(sys_get_temp_dir().'/chorometra-'.$this->name().'.png');
                fwrite(STDERR, implode("\n", ['', $this->name(), ...array_column($this->browser->manage()->getLog('browser'), 'message'), '']));
            }
            $this->browser->quit();
        }
        if (isset($this->driver)) {
            $this->driver->stop(3);
        }
        $this->application->signal(SIGTERM);
        $this->application->wait();
        $this->clear();
    }

    protected function open(string $path): void
    {
        $this->browser->get("http://127.0.0.1:$this->port$path");
    }

    /** Asks again until it is so; what is looked at may not be there yet, or be drawn anew between finding and reading it. */
    protected function until(\Closure $isSo, string $otherwise = ''): void
    {
        $this->asked(function () use ($isSo): bool {
            try {
                return $isSo();
            } catch (NoSuchElementException|StaleElementReferenceException) {
                return false;
            }
        }, $otherwise);
    }

    protected function see(string $css): RemoteWebElement
    {
        $seen = null;
        $this->until(function () use ($css, &$seen): bool {
            foreach ($this->browser->findElements(WebDriverBy::cssSelector($css)) as $element) {
                if ($element->isDisplayed()) {
                    $seen = $element;

                    return true;
                }
            }

            return false;
        }, "$css did not appear");

        return $seen;
    }

    /** Presses what is there and enabled. */
    protected function press(string $css): void
    {
        $this->until(function () use ($css): bool {
            try {
                $element = $this->see($css);
                // a click on what is disabled for the moment would be lost
                if (! $element->isEnabled()) {
                    return false;
                }
                $element->click();

                return true;
            } catch (ElementClickInterceptedException) {
                // half under the foot of the desk: one scrolls
                $this->browser->executeScript('document.querySelector(arguments[0])?.scrollIntoView({ block: "center" })', [$css]);

                return false;
            }
        }, "$css could not be pressed");
    }

    protected function fill(string $css, string $text): void
    {
        // clearing alone would bring the default back, and the text would be added to it
        $this->see($css)->sendKeys([WebDriverKeys::CONTROL, 'a', WebDriverKeys::NULL, "$text\t"]);
    }

    /**
     * A step that has run.
     *
     * @param  array<string, array<string, mixed>>  $inputs
     * @param  array<string, mixed>  $settings
     */
    protected function made(string $kind, array $inputs, array $settings = []): int
    {
        $step = $this->send('POST', 'api/studies/1/steps', ['kind' => $kind, 'inputs' => $inputs, 'settings' => $settings, 'run' => true])['id'];
        $this->until(fn (): bool => $this->get("steps/$step")['state'] === 'done');

        return $step;
    }

    /** @return array{step: int, output: string} */
    protected static function of(int $step, string $output = 'result'): array
    {
        return ['step' => $step, 'output' => $output];
    }

    /** A date of the demo as surface reflectance. */
    protected function surface(string $year): int
    {
        $scene = $this->made('gather.bundle', ['image' => ['demo' => "orvane-$year.tar.gz"]], ['groups' => ['multispectral']]);
        $mended = $this->made('correct.lines', ['image' => self::of($scene, 'multispectral')]);
        $calibrated = $this->made('correct.calibrate', ['image' => self::of($mended)]);

        return $this->made('correct.surface', ['image' => self::of($calibrated)]);
    }

    /** All that is painted in a view, added up by colour. */
    protected function light(string $view): string
    {
        return json_encode($this->browser->executeScript(<<<'JS'
            const canvas = document.querySelector(`[data-view=${arguments[0]}] .raster canvas`);
            const sums = [0, 0, 0];
            canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data.forEach((value, i) => i % 4 < 3 && (sums[i % 4] += value));
            return sums;
            JS, [$view]));
    }

    /** An item's file with its sidecar, as they are downloaded. */
    protected function fileOf(int $item): string
    {
        $path = "$this->folder/item-$item.tif";
        file_put_contents($path, (string) file_get_contents("http://127.0.0.1:$this->port/api/items/$item/file"));
        // the legend stands beside it
        file_put_contents("$this->folder/item-$item.stac.json", (string) file_get_contents("http://127.0.0.1:$this->port/api/items/$item/sidecar"));

        return $path;
    }

    protected function file(int $item): GeoTiffImage
    {
        return new GeoTiffImage($this->fileOf($item));
    }

    protected function choose(string $css, string $option): void
    {
        $this->see($css)->findElement(WebDriverBy::cssSelector("option[value=\"$option\"]"))->click();
    }

    protected function text(string $css): string
    {
        return $this->see($css)->getText();
    }

    /** Waits until what is read at $css holds a text. */
    protected function reads(string $css, string $part): void
    {
        $this->until(fn (): bool => str_contains($this->text($css), $part), "$css does not read “{$part}”");
    }

    /** Waits until nothing of it is left. */
    protected function gone(string $css): void
    {
        $this->until(fn (): bool => $this->browser->findElements(WebDriverBy::cssSelector($css)) === [], "$css is still there");
    }

    protected function keys(string $keys): void
    {
        $this->browser->executeScript('document.activeElement?.blur()');
        $this->browser->getKeyboard()->sendKeys($keys);
    }

    /**
     * The colour painted in a view at a peg, once it is as wanted.
     *
     * @param  \Closure(int, int, int): bool  $isSo
     */
    protected function colourAt(string $view, string $peg, \Closure $isSo): void
    {
        $script = <<<'JS'
            const view = document.querySelector(`[data-view=${arguments[0]}]`);
            const [x, y] = view.querySelector(`[data-peg=${arguments[1]}]`).parentNode.getAttribute('transform').match(/[-\d.]+/g).map(Number);
            const canvas = view.querySelector('.raster canvas');
            return [...canvas.getContext('2d').getImageData(Math.round(x), Math.round(y), 1, 1).data];
            JS;
        $seen = [];
        $this->until(function () use ($script, $view, $peg, $isSo, &$seen): bool {
            $seen = $this->browser->executeScript($script, [$view, $peg]);

            return $isSo($seen[0], $seen[1], $seen[2]);
        }, "view $view shows other colours at peg $peg than wanted");
    }

    /** Waits until points or lines are drawn within some pixels of a place, told from the middle of a view; or until none are. */
    protected function drawnAt(string $view, int $x, int $y, int $within = 4, bool $wanted = true): void
    {
        $script = <<<'JS'
        const [side, x, y, within] = arguments;
        const layers = document.querySelectorAll(`[data-view=${side}] :not(.raster) > canvas`);
        return [...layers].some((canvas) => {
            const [left, top] = [Math.round(canvas.width / 2) + x - within, Math.round(canvas.height / 2) + y - within];
            const { data } = canvas.getContext('2d').getImageData(left, top, 2 * within, 2 * within);
            return data.some((value, i) => i % 4 === 3 && value > 0);
        });
        JS;
        $this->until(
            fn (): bool => $this->browser->executeScript($script, [$view, $x, $y, $within]) === $wanted,
            "view $view shows ".($wanted ? 'nothing' : 'something')." drawn at $x, $y",
        );
    }

    /** Nothing broke in the browser; answers that refuse something with a sentence, or ask to ask again, are no errors. */
    protected function noErrors(): void
    {
        $severe = array_filter(
            $this->browser->manage()->getLog('browser'),
            fn (array $entry): bool => $entry['level'] === 'SEVERE' && preg_match('/status of (412|422|503)/', $entry['message']) !== 1,
        );
        self::assertSame([], array_values(array_column($severe, 'message')));
    }
}
