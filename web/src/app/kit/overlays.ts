/** Lists, menus and calendars that lie over what they belong to: Esc closes these first, and they do it themselves. */
export const overlays =
  '.p-select-overlay, .p-multiselect-overlay, .p-autocomplete-overlay, .p-popover, .p-menu-overlay, .p-tieredmenu-overlay';
