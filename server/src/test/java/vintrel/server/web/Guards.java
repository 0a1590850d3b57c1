package vintrel.server.web;

/** Guards for tests of other packages. */
public final class Guards {
  private Guards() {}

  /** One that lets this machine itself be reached. */
  public static OutboundGuard open() {
    return new OutboundGuard(true);
  }
}
