/** Whether other machines can be reached from here, step by step. */
package vintrel.server.reach;
