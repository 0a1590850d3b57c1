/**
 * Watching: {@link vintrel.core.watch.Rule} describes what must not happen, {@link
 * vintrel.core.watch.StateMachine} takes a series from state to state as check results come in, and
 * every step it takes is a {@link vintrel.core.watch.Transition}. Terms are those of alarm
 * management (IEC 62682). All of it is pure: state + result + time → new state + transitions; the
 * server keeps states and runs checks, a rehearsal feeds the same machine from history.
 */
package vintrel.core.watch;
