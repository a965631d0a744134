<?php

namespace Chorometra\Core\Step;

/** Settings by name, in their own types. They are in `$settings`. */
trait ReadsSettings
{
    public function text(string $name): string
    {
        return is_scalar($this->settings[$name] ?? null) ? (string) $this->settings[$name] : '';
    }

    /** NaN where it is not given. */
    public function number(string $name): float
    {
        return is_numeric($this->settings[$name] ?? null) ? (float) $this->settings[$name] : NAN;
    }

    /** A setting in per cent, as a share of one. */
    public function share(string $name): float
    {
        return $this->number($name) / 100;
    }

    /** 0 where it is not given. */
    public function whole(string $name): int
    {
        return is_numeric($this->settings[$name] ?? null) ? (int) $this->settings[$name] : 0;
    }

    public function isOn(string $name): bool
    {
        return ($this->settings[$name] ?? false) === true;
    }

    /** @return list<float> */
    public function numbers(string $name): array
    {
        return array_map(floatval(...), array_values((array) ($this->settings[$name] ?? [])));
    }

    /** @return list<string> */
    public function texts(string $name): array
    {
        return array_map(strval(...), array_values((array) ($this->settings[$name] ?? [])));
    }
}
