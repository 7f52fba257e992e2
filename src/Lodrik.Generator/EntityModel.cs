namespace Lodrik.Generator;

// What the generator knows of classes of entities, of components and of scenes, as plain values.

/// <summary>What a class is marked as.</summary>
internal enum DeclaredSort
{
    /// <summary>Its objects are entities.</summary>
    Entity,

    /// <summary>It is a base of classes of entities.</summary>
    Base,

    /// <summary>It is derived from a class whose objects say of which kind they are.</summary>
    Derived,

    /// <summary>Its objects are components of entities.</summary>
    Component,

    /// <summary>It is a scene.</summary>
    Scene,
}

/// <summary>A class of entities or of components, or a scene with its own state.</summary>
internal sealed record EntityModel(
    DeclaredSort Sort,
    string HintName,
    string Namespace,
    EquatableList<string> Containers,
    string Declaration,
    string Name,
    string TypeName,
    string Kind,
    EquatableList<string> FormerKinds,
    bool OnlyIfChanged,
    string? KindFrom,
    string? KindsFrom,
    bool IsPlaced,
    bool IsAbstract,
    EquatableList<string> Bases,
    string IdExpression,
    EquatableList<PartModel> Parts,
    EquatableList<LinkModel> Links,
    EquatableList<CollectionModel> Collections,
    string? Gone,
    string? Remove,
    EquatableList<string> Settled,
    CreateModel? Creation,
    string CannotCreate,
    StateModel Access,
    EquatableList<BoundShape> Shapes,
    EquatableList<string> ConstantNames,
    LocationModel? Location,
    bool CanBeExtended,
    EquatableList<DiagnosticModel> Problems)
{
    /// <summary>The parts whose rows the class itself has.</summary>
    public bool HasCode => Sort != DeclaredSort.Base && CanBeExtended;
}

/// <summary>A part of an entity.</summary>
/// <param name="Name">Its name in the save.</param>
/// <param name="Row">The name of the struct that has its members.</param>
/// <param name="RowModel">That struct, as a state type.</param>
/// <param name="Members">Its members.</param>
/// <param name="When">The expression that says whether an entity's part is saved; null for always.</param>
/// <param name="OnlyIfChanged">Whether it is saved only if it is not as the designer left it.</param>
internal sealed record PartModel(
    string Name, string Row, StateModel RowModel, EquatableList<SavedMember> Members, string? When, bool OnlyIfChanged);

/// <summary>A member that is saved in a part.</summary>
/// <param name="Member">How it is reached.</param>
/// <param name="RowCodec">The codec of the row's values.</param>
/// <param name="IsPlain">Whether its values cannot be changed, so that they need not be copied.</param>
/// <param name="IsFixed">Whether it is set only when an object is created.</param>
/// <param name="Initial">The constant that it begins with, as source; null if it is none.</param>
/// <param name="PutBy">The method that puts it; null for the member itself.</param>
internal sealed record SavedMember(MemberModel Member, string RowCodec, bool IsPlain, bool IsFixed, string? Initial, string? PutBy);

internal enum LinkSort
{
    One,
    Many,
    ById,
    Parent,
    InheritedParent,
}

/// <summary>A reference.</summary>
/// <param name="Sort">What it is.</param>
/// <param name="Name">Its name in the save.</param>
/// <param name="Struct">The name of the struct with its code.</param>
/// <param name="Member">How it is reached.</param>
/// <param name="Target">The class of what it leads to.</param>
/// <param name="Shape">How a collection of references is put.</param>
/// <param name="CanBeNull">Whether it may be null.</param>
/// <param name="HasInitial">Whether it begins as none.</param>
/// <param name="PutBy">The method that puts it; null for the member itself.</param>
internal sealed record LinkModel(
    LinkSort Sort, string Name, string Struct, MemberModel Member, string Target, LinkShape Shape, bool CanBeNull, bool HasInitial,
    string? PutBy = null);

internal enum LinkShape
{
    /// <summary>A collection that is filled.</summary>
    Filled,

    /// <summary>An array, or something that an array stands for, which is assigned.</summary>
    Assigned,
}

/// <summary>A collection of an entity that is not references: its children, or its components.</summary>
internal sealed record CollectionModel(bool IsComponents, string Struct, string Member, string ItemType, PlaceShape Shape);

/// <summary>How entities are added to a member and removed from it.</summary>
internal enum PlaceShape
{
    /// <summary>A list.</summary>
    List,

    /// <summary>Another collection that things can be added to.</summary>
    Collection,

    /// <summary>A dictionary by the id.</summary>
    Map,

    /// <summary>A member that has one.</summary>
    Single,

    /// <summary>An array, or something else that nothing can be added to.</summary>
    Fixed,
}

/// <summary>How an object is created.</summary>
/// <param name="Expression">The expression; <c>creation</c> is what it is created with, <c>row0</c> the row of the first part.</param>
/// <param name="Rows">The numbers of the parts whose rows it needs.</param>
internal sealed record CreateModel(string Expression, EquatableList<int> Rows);

/// <summary>A scene.</summary>
internal sealed record SceneModel(
    EntityModel Own,
    string? Numbers,
    EquatableList<ScenePlace> Places,
    EquatableList<SceneMethod> Spawns,
    EquatableList<SceneMethod> Removes,
    bool HasDescribe,
    bool HasKinds,
    bool HasScenes,
    EquatableList<string> Names,
    EquatableList<EntityModel> Foreign,
    EquatableList<DiagnosticModel> Problems);

/// <summary>A member of a scene that entities are found in.</summary>
/// <param name="Name">The member.</param>
/// <param name="Expression">What gives the entities, of <c>scene</c>.</param>
/// <param name="Target">What they are added to, of <c>scene</c>.</param>
/// <param name="ItemType">Their class, or a base of it.</param>
/// <param name="ItemName">The name of that in messages.</param>
/// <param name="Shape">How they are added and removed.</param>
/// <param name="KeyType">The type of the ids, of a dictionary by id.</param>
/// <param name="IsOwner">Whether it is marked as the one that they are added to and removed from.</param>
/// <param name="Location">Where it is declared.</param>
internal sealed record ScenePlace(
    string Name, string Expression, string Target, string ItemType, string ItemName, PlaceShape Shape, string KeyType, bool IsOwner,
    LocationModel? Location);

/// <summary>A method of a scene that creates or removes entities.</summary>
/// <param name="Call">The call, of <c>scene</c> and <c>creation</c>, or of <c>entity</c>.</param>
/// <param name="ItemType">The class of the entities.</param>
/// <param name="IsAdding">Whether it adds an entity that was made already.</param>
internal sealed record SceneMethod(string Call, string ItemType, bool IsAdding = false);
