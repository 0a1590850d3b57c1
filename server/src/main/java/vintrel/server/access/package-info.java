/**
 * Access: users and their passwords, sign-in, API tokens, and secrets for other systems, which are
 * stored encrypted.
 */
package vintrel.server.access;
