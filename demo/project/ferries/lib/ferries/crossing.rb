# frozen_string_literal: true

module Ferries
  # One crossing, with the gauges on its way.
  class Crossing
    def initialize(names)
      @gauges = names.map { |name| Tidewire::Client::TideGauge.new(name) }
    end

    def sail(host:)
      station = Tidewire::Client::Station.new host, 7070
      @gauges.each { |gauge| puts "#{gauge.name}: #{station.level(gauge)} m" }
    rescue Tidewire::Client::Unreachable => e
      warn "Tidewire::Client::Station: #{e.message}"
    ensure
      station&.stop_station
    end
  end
end
