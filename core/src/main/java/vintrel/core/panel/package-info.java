/**
 * The kinds of panels. Each is one record: its settings with their defaults, the shape of data that
 * it needs, and how an answer becomes a {@link vintrel.core.panel.Drawing}. Nothing else knows
 * which kinds there are. Pure; any thread.
 */
package vintrel.core.panel;
