defmodule Tugs.Berth do
  @moduledoc "Where tugs lie: nothing of the tide."

  alias Tugs.Rail.Station

  def new(name), do: Station.new(name, 1)

  def stop_station(name), do: "#{name}: no more tugs today"
end
