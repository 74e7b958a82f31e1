using Rail = Harbour.Rail;
using Tidewire.Client;

namespace Harbour.Pilots
{
    /// <summary>Who goes out when, by the tide.</summary>
    public class Roster
    {
        private readonly TideGauge gauge;

        public bool MayLeave(string host, double draught)
        {
            var station = new Station(host, 7070);
            var train = new Rail.Station("north", 1);
            return station.Level(gauge) > draught && train.Quiet;
        }
    }
}

namespace Harbour.Rail
{
    public class Station
    {
        public Station(string name, int platform) { }
        public bool Quiet => true;
    }
}
