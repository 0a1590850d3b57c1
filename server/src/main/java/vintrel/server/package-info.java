/**
 * The server: pages, API, persistence and schedulers around the core. Packages follow the order of
 * the job and lean on each other in one direction only: web ← keep ← store ← collect, ask ← tell ←
 * watch ← show.
 */
package vintrel.server;
