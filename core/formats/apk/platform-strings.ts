/**
 * Texts of the platform that apps may name as their own, by their public numbers (AOSP frameworks/base, core/res/res/values/public.xml), in
 * English: an APK does not bring them along.
 */
export const platformStrings: ReadonlyMap<number, string> = new Map(
  [
    'Cancel',
    'Copy',
    'Copy URL',
    'Cut',
    'Voicemail',
    'MSISDN1',
    '(No phone number)',
    "Couldn't open the page because the URL is invalid.",
    "The protocol isn't supported.",
    'Cancel',
    'OK',
    'Paste',
    'Search',
    'Select all',
    'Unknown',
    '<Untitled>',
    'OK',
    "Can't play this video.",
    'Video problem',
    'OK',
    'Attention',
    "This video isn't valid for streaming to this device.",
    'Select text',
    '999+',
    'Fingerprint icon',
    'Paste as plain text',
    'Autofill',
  ].map((text, i) => [0x01040000 + i, text]),
);
