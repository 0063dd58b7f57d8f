import { isSoundText } from '@key-cellar/core/records';
import * as z from 'zod';

/*
 * Every text that anybody sends is one of these: composed (Unicode NFC), and without what no document, file system or
 * database takes. Lengths are in UTF-16 units, of which each is three bytes of UTF-8 at most. A spec finds texts that are none.
 */

/** A text in one line, as it is: what names something, or looks for it. */
export const text = (max: number) =>
  z
    .string()
    .normalize('NFC')
    .refine((value) => isSoundText(value), { error: 'input.oneLine' })
    .max(max);

/** A text that may have several lines. */
export const prose = (max: number) =>
  z
    .string()
    .normalize('NFC')
    .refine((value) => isSoundText(value, true), { error: 'input.noControls' })
    .max(max);

/** One line that a person typed, and did not leave empty. */
export const line = (max = 300) => text(max).trim().min(1, 'input.notEmpty');

/** What a person may say besides; empty when they say nothing. */
export const note = (max = 2000) => prose(max).trim().default('');

export const reason = prose(2000).trim().min(3, 'input.reason');
