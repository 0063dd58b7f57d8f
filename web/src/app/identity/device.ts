const browsers: readonly (readonly [RegExp, string])[] = [
  [/Edg\//, 'Edge'],
  [/OPR\//, 'Opera'],
  [/Firefox\//, 'Firefox'],
  [/Chrom(e|ium)\//, 'Chrome'],
  [/Safari\//, 'Safari'],
];
const systems: readonly (readonly [RegExp, string])[] = [
  [/Android/, 'Android'],
  [/iPhone|iPad/, 'iOS'],
  [/Windows/, 'Windows'],
  [/Mac OS X/, 'macOS'],
  [/Linux/, 'Linux'],
];

/** A browser and its system as people call them, from what it says of itself (RFC 9110 §10.1.5): “Firefox on Linux”. */
export function deviceOf(agent: string): string {
  const called = (names: readonly (readonly [RegExp, string])[]): string | undefined => names.find(([sign]) => sign.test(agent))?.[1];
  const browser = called(browsers);
  const system = called(systems);
  if (browser && system) return $localize`${browser}:browser: on ${system}:system:`;
  return browser ?? system ?? (agent === '' ? $localize`A program` : (agent.split(/[\s/]/)[0] ?? agent));
}
