/** Name of the cookie that carries the signed session number. */
export const SESSION_COOKIE = 'cellmend.sid';
