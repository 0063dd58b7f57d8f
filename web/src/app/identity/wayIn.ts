/** Where somebody wanted to go, while they sign in elsewhere. */
const kept = 'kc-way-in';

/** Only ever a page of this application. */
export const pageToGoTo = (wanted: string | null | undefined): string =>
  wanted?.startsWith('/') && !wanted.startsWith('//') ? wanted : '/today';

export function rememberWay(wanted: string | null | undefined): void {
  sessionStorage.setItem(kept, pageToGoTo(wanted));
}

/** The page that was remembered, once. */
export function rememberedWay(): string {
  const wanted = sessionStorage.getItem(kept);
  sessionStorage.removeItem(kept);
  return pageToGoTo(wanted);
}

/** Leaves for another address; the browser forgets nothing of this page. */
export const leaveFor = (url: string): void => location.assign(url);
