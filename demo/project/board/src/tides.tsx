/** The tides of today, as a table. */
export function Table({ rows }: { rows: string[] }) {
  return <table>{rows.map(row => <tr>{row}</tr>)}</table>;
}
