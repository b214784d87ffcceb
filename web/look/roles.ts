import type { Role } from '@keen-larder/core/phone/roles.ts';

/** A role's colour, as a CSS value that follows the theme. */
export const roleColour = (role: Role): string => `var(--role-${role})`;

/** A role's hatch: lines of a pattern tile of 8 by 8, so that colour never stands alone. */
export const roleHatch: Readonly<Record<Role, string>> = {
  'boot-chain': 'M0 2.500H8M0 6.500H8',
  system: 'M2.500 0V8M6.500 0V8',
  'user-data': 'M-2 10L10 -2M-2 2L2 -2M6 10L10 6',
  identity: 'M2 2h.01M6 6h.01M6 2h.01M2 6h.01',
  radio: 'M0 4H8M4 0V8',
  'early-loader': 'M-2 -2L10 10M-2 6L2 10M6 -2L10 2',
  scratch: 'M0 6H4M4 2H8',
  other: 'M0 1H8M0 4H8M0 7H8',
};
