/**
 * Marrowsound Ferries, an invented operator: {@link vintrel.demo.Fleet} computes what its hosts and
 * applications would report, {@link vintrel.demo.Demo} sends a week of it and then lives on, {@link
 * vintrel.demo.DemoServices} are the mail server, chat room, fleet controller and scrape targets
 * around it. It talks to Vintrel through the public endpoints only.
 */
package vintrel.demo;
