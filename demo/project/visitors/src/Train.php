<?php

namespace Harbour\Rail;

/** The railway has stations of its own. */
class Station
{
    public function __construct(private string $name, private int $platform) {}

    public function leaves(): string
    {
        return "platform {$this->platform}";
    }

    public function stopStation(): void {}
}
