defmodule Tugs.MixProject do
  use Mix.Project

  def project do
    [app: :tugs, version: "0.1.0", elixir: "~> 1.14", deps: deps()]
  end

  defp deps do
    [
      {:tidewire, "~> 2.4"}
    ]
  end
end
