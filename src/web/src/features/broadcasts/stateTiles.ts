/** Where each state's tile stands, drawn by hand: a row for about four degrees of latitude, from north to south, a column for about five of longitude. */
const rows = [
  'AK,,,,,,,,,,,ME',
  ',,,,,,,,,,VT,NH',
  'WA,MT,ND,MN,WI,,MI,,,NY,MA,RI',
  'OR,ID,WY,SD,IA,IL,IN,OH,PA,NJ,CT',
  'CA,NV,UT,CO,NE,MO,KY,WV,VA,MD,DE',
  ',AZ,NM,KS,AR,TN,NC,SC,DC',
  ',,,OK,LA,MS,AL,GA',
  'HI,,,TX,,,,,FL,,,PR',
];

/** The tile of each state: its column and row. */
export const stateTiles: Readonly<Record<string, readonly [column: number, row: number]>> = Object.fromEntries(
  rows.flatMap((row, y) =>
    row
      .split(',')
      .map((code, x) => [code, [x, y] as const] as const)
      .filter(([code]) => code !== ''),
  ),
);

/** How many columns and rows there are. */
export const tileSize = [Math.max(...rows.map((r) => r.split(',').length)), rows.length] as const;
