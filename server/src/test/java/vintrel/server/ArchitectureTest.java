package vintrel.server;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;

import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.junit.AnalyzeClasses;
import com.tngtech.archunit.junit.ArchTest;
import com.tngtech.archunit.lang.ArchRule;
import jakarta.persistence.Entity;

@AnalyzeClasses(packages = "vintrel.server", importOptions = ImportOption.DoNotIncludeTests.class)
class ArchitectureTest {
  @ArchTest
  static final ArchRule packagesFormNoCycles =
      slices().matching("vintrel.server.(*)..").should().beFreeOfCycles();

  @ArchTest
  static final ArchRule entitiesStayInTheirPackage =
      classes().that().areAnnotatedWith(Entity.class).should().bePackagePrivate();
}
