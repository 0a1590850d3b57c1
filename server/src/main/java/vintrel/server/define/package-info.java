/**
 * Definitions: {@link vintrel.server.define.Definitions} has what is in force, with its versions;
 * {@link vintrel.server.define.DefinitionApi} reads and writes them.
 */
package vintrel.server.define;
