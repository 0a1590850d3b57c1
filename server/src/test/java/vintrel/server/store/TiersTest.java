package vintrel.server.store;

import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;

class TiersTest extends StoreContract {
  @RegisterExtension static final RunningServer server = new RunningServer();

  @Override
  RunningServer server() {
    return server;
  }
}
