import { boardConfig } from 'tidewire';
import { Board } from './src/Board';
import * as tides from './src/tides';
import { trainConfig } from './src/trains';

export const trains = trainConfig({ views: [{ url: '/trains', page: Board }] });

export default boardConfig({
  title: 'Harbour Board',
  views: [
    // What everybody sees.
    { url: '/', page: Board },
    { url: '/tides', page: tides.Table, every: 60 }, // a minute
  ],
});
