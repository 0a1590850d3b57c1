/** Showing: dashboards and their panels' pictures, the time rail's strip, the first page. */
package vintrel.server.show;
