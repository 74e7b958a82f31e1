<?php
use Harbour\Visitors\Forecast;
use Tidewire\Client\Station;

$station = new Station('tide.harbour.example', 7070);
$forecast = new Forecast('tide.harbour.example', $station);
?>
<!DOCTYPE html>
<title>The tide at the mole</title>
<h1>Station 7070: new Station('mole', 7070)</h1>
<p><?= htmlspecialchars($forecast->level('mole')) ?></p>
<?php $station->stopStation(); ?>
