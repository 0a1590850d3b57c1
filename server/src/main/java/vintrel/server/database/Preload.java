package vintrel.server.database;

import org.hibernate.boot.MetadataSources;
import org.hibernate.boot.registry.StandardServiceRegistryBuilder;

/**
 * Starts faster on more than one core: while Spring reads its configuration on the main thread,
 * another builds a session factory of one entity without a database and throws it away. Hibernate's
 * thousands of classes are then loaded and linked when the real one is made.
 */
public final class Preload {
  private Preload() {}

  public static void start() {
    if (Runtime.getRuntime().availableProcessors() > 1) {
      Thread.ofPlatform().daemon().name("preload").start(Preload::hibernate);
    }
  }

  private static void hibernate() {
    try (var registry =
            new StandardServiceRegistryBuilder()
                .applySetting("hibernate.dialect", "org.hibernate.dialect.H2Dialect")
                .applySetting("hibernate.boot.allow_jdbc_metadata_access", "false")
                .build();
        var factory =
            new MetadataSources(registry)
                .addAnnotatedClass(LeaseRow.class)
                .buildMetadata()
                .buildSessionFactory();
        var session = factory.openStatelessSession()) {
      session.createSelectionQuery("from Lease where name = :name", LeaseRow.class);
    } catch (RuntimeException e) {
      // Only time is lost: the real start reports the error.
    }
  }
}
