/**
 * Keeping: the database ({@link vintrel.server.keep.Database}), definitions with their changes
 * ({@link vintrel.server.keep.Definitions}), people, API tokens, health.
 */
package vintrel.server.keep;
