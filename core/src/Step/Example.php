<?php

namespace Chorometra\Core\Step;

/** How a kind is called, for whoever reads its description; the tests run it. */
final readonly class Example
{
    /**
     * @param  array<string, string>  $settings
     * @param  list<string>  $with  inputs that may be left out and are not
     * @param  string|null  $needs  what must be there beside files, such as a service
     */
    public function __construct(public array $settings = [], public array $with = [], public ?string $needs = null) {}

    /** The call on the command line. */
    public function line(Declaration $declaration): string
    {
        $words = ["bin/chorometra run $declaration->id"];
        foreach ($this->inputs($declaration) as $name => $port) {
            $words[] = "--in $name=".$port->sample().(str_contains($name, ':') ? substr((string) strstr($name, ':'), 1) : '').$port->type->ending();
        }
        foreach ($this->settings as $name => $value) {
            $words[] = "--set $name=".(preg_match('~^[\w.,:/+-]*$~', $value) ? $value : "'$value'");
        }
        foreach ($declaration->outputs as $port) {
            if ($port->required) {
                $words[] = "--out $port->name=made".($port->type === PortType::Folder ? '' : $port->endings[0]);
            }
        }
        if (array_filter($declaration->outputs, fn (Port $port): bool => $port->required) === []) {
            $words[] = "--out {$declaration->outputs[0]->name}=made{$declaration->outputs[0]->endings[0]}";
        }

        return implode(' ', $words);
    }

    /** @return array<string, Port> the inputs that the example gives, by name; two of those that take several */
    public function inputs(Declaration $declaration): array
    {
        $inputs = [];
        foreach ($declaration->inputs as $port) {
            if ($port->required || in_array($port->name, $this->with, true)) {
                foreach ($port->many ? ["$port->name:1", "$port->name:2"] : [$port->name] as $name) {
                    $inputs[$name] = $port;
                }
            }
        }

        return $inputs;
    }
}
