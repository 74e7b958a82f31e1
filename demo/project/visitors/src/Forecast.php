<?php

namespace Harbour\Visitors;

use Tidewire\Client\Station;
use Tidewire\Client\TideGauge;
use Harbour\Rail;

/** What guests of the harbour see of the tide. */
final class Forecast
{
    /** @var TideGauge[] by the name of the mole */
    private array $gauges = [];

    public function __construct(private readonly string $host, private ?Station $station = null) {}

    public function gauge(string $mole): TideGauge
    {
        return $this->gauges[$mole] ??= new TideGauge($mole);
    }

    public function level(string $mole): string
    {
        $this->station ??= new Station($this->host, 7070);
        $train = new Rail\Station('north', 1);

        return "{$this->station->level($this->gauge($mole))} m, train at {$train->leaves()}";
    }

    public function close(): void
    {
        $this->station?->stopStation();
        (new Rail\Station('south', 2))->stopStation();
    }
}
