/** The server’s areas from the bottom up: each may use those below it, and none beside or above. */
export const layers = [
  ['kernel'],
  ['ledger', 'criteria', 'print', 'tables', 'standins', 'mail'],
  ['identity'],
  ['access', 'federation', 'scim'],
  ['facts'],
  ['plan'],
  ['schedule', 'reviews'],
  ['records'],
  ['receiving', 'passes', 'holds', 'exchange'],
  ['docket'],
  ['reports'],
  ['http'],
];

/** Areas that an area may not use, itself left out. */
export const forbiddenFor = (area) => {
  const at = layers.findIndex((layer) => layer.includes(area));
  return layers
    .slice(at)
    .flat()
    .filter((other) => other !== area);
};
