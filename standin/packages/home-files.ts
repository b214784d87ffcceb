/** Where a system notes what ties apps to it, from user data's own root on (AOSP; the file of apps' languages is made up). */
export const homeFiles = {
  secure: '/system/users/0/settings_secure.xml',
  ids: '/system/users/0/settings_ssaid.xml',
  widgets: '/system/users/0/appwidgets.xml',
  ops: '/system/appops.xml',
  idle: '/system/deviceidle.xml',
  locales: '/system/users/0/app-locales.xml',
  /** Since Android 11 with the module that has roles. */
  roles: (sdk: number): string =>
    sdk < 30 ? '/system/users/0/roles.xml' : '/misc_de/0/apexdata/com.android.permission/roles.xml',
} as const;
