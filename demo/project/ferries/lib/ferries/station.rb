# frozen_string_literal: true

module Ferries
  # A landing where ferries stop: nothing of the tide.
  class Station
    attr_reader :name

    def initialize(name, berth)
      @name = name
      @berth = berth
    end

    def stop_station
      puts "#{name}: no more ferries today"
    end
  end
end
