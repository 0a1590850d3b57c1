package vintrel.server.collect;

/**
 * Who sends a request, and how.
 *
 * @param token the token's name, or what stands for it: a job's name, the server's own work
 * @param tokenId its id, or 0
 * @param address of the sender, or empty for the server's own work
 */
record Sender(String token, long tokenId, Way way, String address) {
  static Sender own(String name, Way way) {
    return new Sender(name, 0, way, "");
  }
}
