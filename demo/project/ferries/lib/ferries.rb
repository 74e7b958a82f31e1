# frozen_string_literal: true

require 'tidewire'

# The ferries, which sail when the tide lets them.
module Ferries
  autoload :Crossing, 'ferries/crossing'
  autoload :Station, 'ferries/station'

  # Waits for the tide at a landing.
  class Watch < Tidewire::Client::Listener
    SLIP = Tidewire::Client::TideGauge.new('slip')

    def initialize(host)
      super()
      @station = Tidewire::Client::Station.new(host, 7070)
      @landing = Station.new('north', 1)
    end

    def high?(gauge = SLIP) = @station.level(gauge) > 3.2

    def stop
      @landing.stop_station
      @station.stop_station
    end
  end
end
