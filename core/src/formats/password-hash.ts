/** Whether a text is a password hash in one of the forms of crypt(5). */
export const isPasswordHash = (text: string): boolean => /^\$(1|2[aby]|5|6|y|gy|7)\$[^\s:]+$/.test(text);
