using System.Reflection;
using System.Reflection.Metadata;
using System.Reflection.PortableExecutable;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>What the library shows, somebody here uses: a member that nothing calls is not tested, and may not work.</summary>
public sealed class PublicInterfaceTests
{
    // Where generated code and the formats of the core meet: every save of every test runs it, and no game calls it.
    private static readonly string[] BetweenCodeAndFormats =
        ["IStateWriter", "IStateReader", "ITableWriter", "ITableReader", "IStateCodec`1", "IKeyCodec`1", "ISectionDecoder", "ISectionGroup", "ISectionWriter", "ISectionReader", "UndecodedSection", "KeyTable"];

    [Fact]
    public void Every_public_member_is_called_by_a_test_an_example_or_the_tool()
    {
        Assembly[] shown = [typeof(SaveException).Assembly, Assembly.LoadFrom(Path.Combine(Bin("src/Lodrik.Testing"), "Lodrik.Testing.dll"))];
        var users = new[] { "tests/Lodrik.Tests", "tests/Lodrik.Generator.Tests", "tests/Lodrik.AotSmoke", "tests/Lodrik.Saver", "src/Lodrik.Cli", "src/Lodrik.Testing", "src/Lodrik.Sqlite", "src/Lodrik.Http", "src/Lodrik.Postgres", "src/Lodrik.Server", "src/Lodrik.Server.Host", "bench/Lodrik.Bench" }
            .Concat(Directory.GetDirectories(Path.Combine(ProgramRun.Repository, "examples")).Select(folder => Path.GetRelativePath(ProgramRun.Repository, folder)))
            .Select(project => Path.Combine(Bin(project), Path.GetFileName(project) + ".dll")).Where(File.Exists).ToList();
        Assert.SkipUnless(users.Exists(user => user.EndsWith("Lodrik.Tests.dll", StringComparison.Ordinal)), "The library's own tests are not built, so that nobody can say what they call.");
        var called = users.SelectMany(CallsOf).ToHashSet();
        var uncalled = shown.SelectMany(assembly => assembly.GetExportedTypes()).Where(IsForGames).SelectMany(MembersOf).Where(member => !member.Calls.Any(called.Contains)).Select(member => member.Member).Order().ToList();
        Assert.True(uncalled.Count == 0, string.Join(Environment.NewLine, uncalled));
    }

    private static bool IsForGames(Type type) => !type.IsEnum && !typeof(Delegate).IsAssignableFrom(type) && !typeof(Attribute).IsAssignableFrom(type)
        && !BetweenCodeAndFormats.Contains(type.Name) && !IsHidden(type) && (type.DeclaringType is null || IsForGames(type.DeclaringType));

    private static bool IsHidden(MemberInfo member) =>
        member.GetCustomAttribute<System.ComponentModel.EditorBrowsableAttribute>()?.State == System.ComponentModel.EditorBrowsableState.Never
        || member.GetCustomAttribute<System.CodeDom.Compiler.GeneratedCodeAttribute>() is not null;

    /// <summary>
    /// A type's own members, each with the calls by which it is used, by name and number of parameters: a property is used by either of its
    /// accessors, an event by adding to it.
    /// </summary>
    private static IEnumerable<(string Member, string[] Calls)> MembersOf(Type type)
    {
        const BindingFlags Own = BindingFlags.Public | BindingFlags.Instance | BindingFlags.Static | BindingFlags.DeclaredOnly;
        var name = $"{type.Namespace}.{NameOf(type)}";
        var called = type.IsInterface ? [] : type.GetInterfaces().Where(one => one.Assembly != type.Assembly || one.IsPublic)
            .SelectMany(one => type.GetInterfaceMap(one).TargetMethods).Select(method => method.ToString()).ToHashSet();
        foreach (var member in type.GetMembers(Own).Where(member => !IsHidden(member)))
        {
            MethodBase[] methods = member switch
            {
                PropertyInfo property => [.. property.GetAccessors()],
                EventInfo @event => [@event.AddMethod!],
                MethodBase { IsSpecialName: false } or ConstructorInfo => [(MethodBase)member],
                _ => [],
            };
            if (methods.Length > 0 && !methods.Any(method => IsGiven(type, method) || called.Contains(method.ToString())))
                yield return ($"{name}.{member.Name}", [.. methods.Select(method => $"{name}.{method.Name}/{method.GetParameters().Length}")]);
        }
    }

    /// <summary>What a record has by itself, what overrides a platform's member, and how exceptions and records are made.</summary>
    private static bool IsGiven(Type type, MethodBase method)
    {
        var isRecord = type.GetMethod("<Clone>$") is not null || type.GetMethod("PrintMembers", BindingFlags.NonPublic | BindingFlags.Instance) is not null;
        return method.Name is "<Clone>$" or "Deconstruct" or "PrintMembers"
            || (isRecord && method is ConstructorInfo)
            || (typeof(Exception).IsAssignableFrom(type) && method is ConstructorInfo)
            || (method is MethodInfo { IsVirtual: true } own && own.GetBaseDefinition() != own);
    }

    private static string NameOf(Type type) => type.DeclaringType is { } outer ? $"{NameOf(outer)}+{type.Name}" : type.Name;

    /// <summary>The members of the core that an assembly refers to.</summary>
    private static IEnumerable<string> CallsOf(string assembly)
    {
        using var image = new PEReader(File.OpenRead(assembly));
        var metadata = image.GetMetadataReader();
        foreach (var handle in metadata.MemberReferences)
        {
            var member = metadata.GetMemberReference(handle);
            if (member.GetKind() == MemberReferenceKind.Method && TypeOf(metadata, member.Parent) is { } type)
                yield return $"{type}.{metadata.GetString(member.Name)}/{member.DecodeMethodSignature(new Counting(), null).ParameterTypes.Length}";
        }
        // Who implements an interface uses all of it.
        foreach (var handle in metadata.TypeDefinitions)
        {
            foreach (var one in metadata.GetTypeDefinition(handle).GetInterfaceImplementations())
            {
                if (TypeOf(metadata, metadata.GetInterfaceImplementation(one).Interface) is not { } type)
                    continue;
                foreach (var member in typeof(SaveException).Assembly.GetExportedTypes().Where(known => $"{known.Namespace}.{NameOf(known)}" == type).SelectMany(MembersOf).SelectMany(member => member.Calls))
                    yield return member;
            }
        }
    }

    private static string? TypeOf(MetadataReader metadata, EntityHandle handle)
    {
        switch (handle.Kind)
        {
            case HandleKind.TypeReference:
                var type = metadata.GetTypeReference((TypeReferenceHandle)handle);
                return type.ResolutionScope.Kind == HandleKind.TypeReference
                    ? $"{TypeOf(metadata, type.ResolutionScope)}+{metadata.GetString(type.Name)}"
                    : $"{metadata.GetString(type.Namespace)}.{metadata.GetString(type.Name)}";
            case HandleKind.TypeSpecification:
                var blob = metadata.GetBlobReader(metadata.GetTypeSpecification((TypeSpecificationHandle)handle).Signature);
                if (blob.ReadByte() != (byte)SignatureTypeCode.GenericTypeInstance)
                    return null;
                blob.ReadByte();
                return TypeOf(metadata, blob.ReadTypeHandle());
            default:
                return null;
        }
    }

    private static string Bin(string project) => Path.Combine(ProgramRun.Repository, project, "bin", Path.GetFileName(Path.GetDirectoryName(Path.TrimEndingDirectorySeparator(AppContext.BaseDirectory)))!, "net10.0");

    /// <summary>A signature whose types nobody looks at.</summary>
    private sealed class Counting : ISignatureTypeProvider<int, object?>
    {
        public int GetArrayType(int elementType, ArrayShape shape) => 0;

        public int GetByReferenceType(int elementType) => 0;

        public int GetFunctionPointerType(MethodSignature<int> signature) => 0;

        public int GetGenericInstantiation(int genericType, System.Collections.Immutable.ImmutableArray<int> typeArguments) => 0;

        public int GetGenericMethodParameter(object? genericContext, int index) => 0;

        public int GetGenericTypeParameter(object? genericContext, int index) => 0;

        public int GetModifiedType(int modifier, int unmodifiedType, bool isRequired) => 0;

        public int GetPinnedType(int elementType) => 0;

        public int GetPointerType(int elementType) => 0;

        public int GetPrimitiveType(PrimitiveTypeCode typeCode) => 0;

        public int GetSZArrayType(int elementType) => 0;

        public int GetTypeFromDefinition(MetadataReader reader, TypeDefinitionHandle handle, byte rawTypeKind) => 0;

        public int GetTypeFromReference(MetadataReader reader, TypeReferenceHandle handle, byte rawTypeKind) => 0;

        public int GetTypeFromSpecification(MetadataReader reader, object? genericContext, TypeSpecificationHandle handle, byte rawTypeKind) => 0;
    }
}
