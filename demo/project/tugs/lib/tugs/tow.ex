defmodule Tugs.Tow do
  @moduledoc "A tow through the harbour: it waits for the tide."

  alias Tidewire.Client
  alias Tidewire.Client.{Station, TideGauge}
  import Tidewire.Client.Levels, only: [level: 2]

  @behaviour Tidewire.Client.Listener

  defstruct [:host, gauge: nil]

  @spec start(String.t()) :: {:ok, Station.t()} | :error
  def start(host) do
    station = Station.new(host, 7070)
    if level(station, TideGauge.new("slip")) > 3.2, do: {:ok, station}, else: stop(station)
  end

  def all(hosts) do
    hosts
    |> Enum.map(&Station.new(&1, 7070))
    |> Enum.each(&Station.stop_station/1)
  end

  @impl true
  def on_level(%TideGauge{name: name}, metres), do: IO.puts("#{name}: #{metres} m")

  # Tidewire.Client.Station is closed, and the berth too.
  defp stop(station) do
    station |> Station.stop_station()
    Tugs.Berth.stop_station("north")
    Client.Unit.metres(0)
    :error
  end
end
