/**
 * What all pages share: settings, security, the person's time zone and theme, and the one place
 * where errors become answers. Knows none of the other packages; they hang in through {@link
 * vintrel.server.web.TokenCheck} and application events.
 */
package vintrel.server.web;
