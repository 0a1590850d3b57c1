/**
 * Asking: {@link vintrel.server.ask.Queries} answers query texts for everyone else, the API and the
 * Bench are its pages.
 */
package vintrel.server.ask;
