/** The cookie of an opened share link; reaches /api/v1/shared only. */
export const SHARE_COOKIE = 'dewpost.share';
