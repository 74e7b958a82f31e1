// A station of the railway: nothing of the tide.
export class Station {
  constructor(readonly name: string, readonly platform: number) {}
}

export const north = new Station('north', 1);
