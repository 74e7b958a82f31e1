// A station of the railway: nothing of the tide.
export class Station {
  constructor(readonly name: string, readonly platform: number) {}
}

/** The views of the railway's own board. */
export function trainConfig(config: { views: { url: string; page: unknown }[] }) {
  return config;
}

export const north = new Station('north', 1);
