package vintrel.core;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.Architectures.layeredArchitecture;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;

import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.junit.AnalyzeClasses;
import com.tngtech.archunit.junit.ArchTest;
import com.tngtech.archunit.lang.ArchRule;

@AnalyzeClasses(packages = "vintrel.core", importOptions = ImportOption.DoNotIncludeTests.class)
class ArchitectureTest {
  @ArchTest
  static final ArchRule theCoreKnowsNoFramework =
      noClasses()
          .should()
          .dependOnClassesThat()
          .resideInAnyPackage(
              "org.springframework..",
              "jakarta..",
              "org.hibernate..",
              "org.thymeleaf..",
              "java.sql..",
              "javax.sql..");

  @ArchTest
  static final ArchRule packagesFormNoCycles =
      slices().matching("vintrel.core.(*)..").should().beFreeOfCycles();

  @ArchTest
  static final ArchRule theRoomsOfTheQueryLanguageDependInOneDirection =
      layeredArchitecture()
          .consideringOnlyDependenciesInLayers()
          .layer("door")
          .definedBy("vintrel.core.query")
          .layer("assist")
          .definedBy("vintrel.core.query.assist")
          .layer("compute")
          .definedBy("vintrel.core.query.compute")
          .layer("plan")
          .definedBy("vintrel.core.query.plan")
          .layer("syntax")
          .definedBy("vintrel.core.query.syntax")
          .whereLayer("door")
          .mayNotBeAccessedByAnyLayer()
          .whereLayer("assist")
          .mayOnlyBeAccessedByLayers("door")
          .whereLayer("compute")
          .mayOnlyBeAccessedByLayers("assist", "door")
          .whereLayer("plan")
          .mayOnlyBeAccessedByLayers("compute", "assist", "door");

  @ArchTest
  static final ArchRule theCoreNeverAsksForTheTime =
      noClasses()
          .should()
          .callMethod(System.class, "currentTimeMillis")
          .orShould()
          .callMethod(java.time.Instant.class, "now");
}
