const pictures = ['image/png', 'image/jpeg', 'image/gif', 'image/webp', 'image/svg+xml', 'image/avif', 'image/tiff'];
const texts = ['application/json', 'application/xml', 'message/rfc822'];

/**
 * How content of a media type is read on screen: as pictures of its `pages`, as its own `text`, or not at all. What is not
 * text never leaves as the file itself for those who may only read (docs/semantics.md 9.1).
 */
export function readAs(mediaType: string): 'pages' | 'text' | 'nothing' {
  if (mediaType === 'application/pdf' || pictures.includes(mediaType)) return 'pages';
  return mediaType.startsWith('text/') || texts.includes(mediaType) ? 'text' : 'nothing';
}
