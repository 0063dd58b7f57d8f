/** The fifteen elements of the Dublin Core element set (ISO 15836-1). */
export const dublinCoreElements = [
  'contributor',
  'coverage',
  'creator',
  'date',
  'description',
  'format',
  'identifier',
  'language',
  'publisher',
  'relation',
  'rights',
  'source',
  'subject',
  'title',
  'type',
] as const;
export type DublinCoreElement = (typeof dublinCoreElements)[number];
