const of = (user: number, name: string) => `/system/users/${user}/${name}`;

/** Where a system notes what ties apps to it, from user data's own root on (AOSP; the file of apps' languages is made up). */
export const homeFiles = {
  secure: (user = 0) => of(user, 'settings_secure.xml'),
  ids: (user = 0) => of(user, 'settings_ssaid.xml'),
  widgets: (user = 0) => of(user, 'appwidgets.xml'),
  ops: '/system/appops.xml',
  idle: '/system/deviceidle.xml',
  locales: (user = 0) => of(user, 'app-locales.xml'),
  /** Since Android 11 with the module that has roles. */
  roles: (sdk: number, user = 0): string =>
    sdk < 30 ? of(user, 'roles.xml') : `/misc_de/${user}/apexdata/com.android.permission/roles.xml`,
} as const;
